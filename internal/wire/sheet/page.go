package sheet

import (
	"bytes"
	_ "embed"
	"fmt"
	"html/template"
	"strings"
	"time"

	"github.com/boombuler/barcode/qr"
)

//go:embed page.html
var pageText string

var page = template.Must(template.New("page").Parse(pageText))

// code is a QR code as a path of squares on a grid.
type code struct {
	Title string
	Size  int
	Path  string
}

const quiet = 4 // squares around a code, ISO/IEC 18004

// Page is a sheet to print: what it is for, what is sealed as text, and the same as QR codes. It holds nothing that is
// not sealed but the names of devices and accounts.
func Page(c Content, sealed string) (string, error) {
	parts, err := Parts(sealed)
	if err != nil {
		return "", err
	}
	codes := make([]code, len(parts))
	for i, p := range parts {
		if codes[i], err = codeOf(p); err != nil {
			return "", err
		}
		codes[i].Title = fmt.Sprintf("%d of %d", i+1, len(parts))
	}
	var out bytes.Buffer
	err = page.Execute(&out, map[string]any{
		"ID": c.ID, "Organisation": c.Organisation, "MadeBy": c.MadeBy, "Reason": c.Reason,
		"MadeAt": stamp(c.MadeAt), "Until": stamp(c.Until), "Devices": devices(c), "Sealed": sealed, "Codes": codes,
	})
	return out.String(), err
}

func stamp(t time.Time) string { return t.UTC().Format("2 January 2006 15:04 UTC") }

// device is a device on a sheet with its accounts.
type device struct {
	Name, Serial string
	Accounts     string
}

func devices(c Content) (list []device) {
	accounts := map[string][]string{}
	for _, p := range c.Passwords {
		if accounts[p.Device] == nil {
			list = append(list, device{Name: p.Device, Serial: p.Serial})
		}
		if !p.Pending || len(accounts[p.Device]) == 0 {
			accounts[p.Device] = append(accounts[p.Device], p.Name)
		}
	}
	for i := range list {
		list[i].Accounts = strings.Join(accounts[list[i].Name], ", ")
	}
	return list
}

func codeOf(text string) (code, error) {
	drawn, err := qr.Encode(text, qr.M, qr.AlphaNumeric)
	if err != nil {
		return code{}, fmt.Errorf("drawing a code: %w", err)
	}
	var path strings.Builder
	side := drawn.Bounds().Dx()
	for y := range side {
		for x := range side {
			if r, _, _, _ := drawn.At(x, y).RGBA(); r == 0 {
				fmt.Fprintf(&path, "M%d %dh1v1h-1z", x+quiet, y+quiet)
			}
		}
	}
	return code{Size: side + 2*quiet, Path: path.String()}, nil
}
