package sheet_test

import (
	"fmt"
	"image"
	"image/color"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/makiuchi-d/gozxing"
	"github.com/makiuchi-d/gozxing/qrcode"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/internal/wire/sheet"
)

// content is a sheet of some devices.
func content(devices int) sheet.Content {
	at := time.Date(2031, 3, 4, 6, 0, 0, 0, time.UTC)
	c := sheet.Content{Format: sheet.Format, ID: "01TIDE", Organisation: "Skerry " +
		"Line", MadeAt: at, MadeBy: "harbourmaster",
		Until: at.AddDate(0, 0, 14), Reason: "MV Tern <north route>"}
	for i := range devices {
		c.Passwords = append(c.Passwords, sheet.Password{Device: fmt.Sprintf("SKL-WKS-%03d", i), Serial: "SN-1",
			Account: "account:mooring", Name: "mooring-4", Password: fmt.Sprintf("hidden-%d", i), Since: at})
	}
	return c
}

func TestAPassphraseOpensASheet(t *testing.T) {
	c := content(3)
	sealed, passphrase, err := sheet.SealToWords(c)
	require.NoError(t, err)
	assert.Len(t, strings.Fields(passphrase), 10)
	assert.NotContains(t, sealed, "hidden")
	_, other, err := sheet.SealToWords(c)
	require.NoError(t, err)

	page, err := sheet.Page(c, sealed)
	require.NoError(t, err)
	assert.NotContains(t, page, "hidden")
	assert.NotContains(t, page, passphrase)
	assert.Contains(t, page, "MV Tern &lt;north route&gt;", "what somebody wrote is text")
	typed := "  " + strings.ToUpper(strings.ReplaceAll(passphrase, " ", "\n")) + " "
	for name, text := range map[string]string{"text": sealed, "page": page} {
		got, err := sheet.OpenWithWords(text, typed)
		require.NoError(t, err, name)
		assert.Equal(t, c, got, name)
	}
	_, err = sheet.OpenWithWords(sealed, other)
	require.ErrorIs(t, err, sheet.ErrWrong)
	_, err = sheet.OpenWithWords(sealed, "")
	require.ErrorIs(t, err, sheet.ErrWrong)
}

func TestAKeyOpensASheet(t *testing.T) {
	c := content(1)
	file, recipient, err := sheet.NewKey()
	require.NoError(t, err)
	require.NoError(t, sheet.CheckRecipient(recipient))
	sealed, err := sheet.SealToKey(c, recipient)
	require.NoError(t, err)
	got, err := sheet.OpenWithKey(sealed, file)
	require.NoError(t, err)
	assert.Equal(t, c, got)

	another, _, err := sheet.NewKey()
	require.NoError(t, err)
	_, err = sheet.OpenWithKey(sealed, another)
	require.ErrorIs(t, err, sheet.ErrWrong)
	_, err = sheet.OpenWithWords(sealed, "ten words")
	require.Error(t, err)
	_, err = sheet.OpenWithKey(sealed, "no key")
	require.ErrorContains(t, err, "file of keys")
	require.Error(t, sheet.CheckRecipient("age1nobody"))
	_, err = sheet.SealToKey(c, "age1nobody")
	require.Error(t, err)
}

// A sheet of many devices is several codes. Their parts may be read in any order, twice, and with other words around.
func TestPartsMakeTheSheet(t *testing.T) {
	c := content(20)
	sealed, passphrase, err := sheet.SealToWords(c)
	require.NoError(t, err)
	parts, err := sheet.Parts(sealed)
	require.NoError(t, err)
	require.Greater(t, len(parts), 3)
	mixed := slices.Clone(parts)
	slices.Reverse(mixed)
	got, err := sheet.OpenWithWords("scanned\n"+strings.Join(append(mixed, parts[0]), "\r\n"), passphrase)
	require.NoError(t, err)
	assert.Equal(t, c, got)

	again, err := sheet.Parts(sealed)
	require.NoError(t, err)
	for name, wrong := range map[string]struct{ text, says string }{
		"one is missing": {strings.Join(parts[1:], "\n"), "part 1 of"},
		"one is cut":     {parts[1][:60] + "\n" + parts[0] + "\n" + strings.Join(parts[2:], "\n"), "altered"},
		"of two sheets":  {parts[0] + "\n" + again[1], "two sheets"},
		"nothing":        {"nothing at all", sheet.ErrNoSheet.Error()},
		"no end":         {sealed[:200], "the end of the sheet is missing"},
		"a letter":       {strings.Replace(sealed, sealed[100:104], "AAAA", 1), ""},
	} {
		_, err := sheet.OpenWithWords(wrong.text, passphrase)
		require.ErrorContains(t, err, wrong.says, name)
	}
}

// What a reader of codes sees in the page is the part that it stands for.
func TestCodesCanBeRead(t *testing.T) {
	sealed, passphrase, err := sheet.SealToWords(content(9))
	require.NoError(t, err)
	page, err := sheet.Page(content(9), sealed)
	require.NoError(t, err)
	drawn := regexp.MustCompile(`viewBox="0 0 (\d+) \d+".*?<path d="([^"]+)"`).FindAllStringSubmatch(page, -1)
	require.Greater(t, len(drawn), 1)
	var scanned []string
	for _, d := range drawn {
		scanned = append(scanned, read(t, d[1], d[2]))
	}
	got, err := sheet.OpenWithWords(strings.Join(scanned, "\n"), passphrase)
	require.NoError(t, err)
	assert.Equal(t, content(9), got)
}

// read reads a code that is drawn as squares on a grid of a size.
func read(t *testing.T, size, path string) string {
	t.Helper()
	var side int
	_, err := fmt.Sscan(size, &side)
	require.NoError(t, err)
	const scale = 4
	img := image.NewGray(image.Rect(0, 0, side*scale, side*scale))
	for i := range img.Pix {
		img.Pix[i] = 255
	}
	for _, square := range regexp.MustCompile(`M(\d+) (\d+)h1v1h-1z`).FindAllStringSubmatch(path, -1) {
		var x, y int
		_, err := fmt.Sscan(square[1], &x)
		require.NoError(t, err)
		_, err = fmt.Sscan(square[2], &y)
		require.NoError(t, err)
		for i := range scale * scale {
			img.SetGray(x*scale+i%scale, y*scale+i/scale, color.Gray{})
		}
	}
	seen, err := gozxing.NewBinaryBitmapFromImage(img)
	require.NoError(t, err)
	result, err := qrcode.NewQRCodeReader().Decode(seen, nil)
	require.NoError(t, err)
	return result.GetText()
}
