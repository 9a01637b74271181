// Package sheet is the format of sealed sheets: passwords of devices that will not reach the service for a while,
// sealed to a passphrase of ten words or to somebody's key in the age format (age-encryption.org/v1), to be printed
// and opened without the service.
package sheet

import (
	"bytes"
	"crypto/rand"
	"encoding/base32"
	"encoding/json"
	"errors"
	"fmt"
	"html"
	"io"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"filippo.io/age"
	"filippo.io/age/armor"
	"github.com/sethvargo/go-diceware/diceware"
)

// Format is the format of what is sealed.
const Format = "rankwarden.sheet/1"

const (
	words      = 10 // of a passphrase; they alone have 129 bits, so that stretching them adds nothing
	workFactor = 15 // of scrypt, as a power of two: a fraction of a second
	longest    = 4 << 20
)

// Content is what is sealed.
type Content struct {
	Format       string     `json:"format"`
	ID           string     `json:"id"`
	Organisation string     `json:"organisation"`
	MadeAt       time.Time  `json:"made_at"`
	MadeBy       string     `json:"made_by"`
	Until        time.Time  `json:"until"` // at which the passwords are changed at the latest
	Reason       string     `json:"reason"`
	Passwords    []Password `json:"passwords"`
}

// Password is one that may open an account of a device.
type Password struct {
	Device   string    `json:"device"`
	Serial   string    `json:"serial"`
	Account  string    `json:"account"` // as policies name it
	Name     string    `json:"name"`    // of the account under this password
	Password string    `json:"password"`
	Pending  bool      `json:"pending,omitempty"` // the device may not have it yet; try it first
	Since    time.Time `json:"since"`
}

// Errors of opening.
var (
	ErrNoSheet = errors.New("there is no sealed sheet in it")
	ErrWrong   = errors.New("these words, or this key, do not open the sheet")
)

// SealToWords seals a sheet to a passphrase that it draws. Nothing else knows the words.
func SealToWords(c Content) (sealed, passphrase string, err error) {
	drawn, err := diceware.Generate(words)
	if err != nil {
		return "", "", fmt.Errorf("drawing words: %w", err)
	}
	passphrase = strings.Join(drawn, " ")
	to, err := age.NewScryptRecipient(passphrase)
	if err != nil {
		return "", "", err
	}
	to.SetWorkFactor(workFactor)
	sealed, err = seal(c, to)
	return sealed, passphrase, err
}

// CheckRecipient refuses what nothing can be sealed to. A recipient is the public half of an X25519 key of the age
// format, such as age1ql3z7hjy….
func CheckRecipient(recipient string) error {
	_, err := age.ParseX25519Recipient(recipient)
	return err
}

// SealToKey seals a sheet to a recipient.
func SealToKey(c Content, recipient string) (string, error) {
	to, err := age.ParseX25519Recipient(recipient)
	if err != nil {
		return "", err
	}
	return seal(c, to)
}

// NewKey makes a key that sheets can be sealed to: the text of its file, and the recipient.
func NewKey() (file, recipient string, err error) {
	key, err := age.GenerateX25519Identity()
	if err != nil {
		return "", "", err
	}
	recipient = key.Recipient().String()
	return fmt.Sprintf("# sealed sheets, recipient: %s\n%s\n", recipient, key), recipient, nil
}

func seal(c Content, to age.Recipient) (string, error) {
	text, err := json.Marshal(c)
	if err != nil {
		return "", err
	}
	var out bytes.Buffer
	armored := armor.NewWriter(&out)
	w, err := age.Encrypt(armored, to)
	if err != nil {
		return "", err
	}
	if _, err := w.Write(text); err != nil {
		return "", err
	}
	if err := errors.Join(w.Close(), armored.Close()); err != nil {
		return "", err
	}
	return out.String(), nil
}

// OpenWithWords opens the sheet in a text with its passphrase, in any case and with any space between the words.
func OpenWithWords(text, passphrase string) (Content, error) {
	key, err := age.NewScryptIdentity(strings.Join(strings.Fields(strings.ToLower(passphrase)), " "))
	if err != nil {
		return Content{}, ErrWrong
	}
	return open(text, key)
}

// OpenWithKey opens the sheet in a text with a file of keys.
func OpenWithKey(text, keys string) (Content, error) {
	list, err := age.ParseIdentities(strings.NewReader(keys))
	if err != nil {
		return Content{}, fmt.Errorf("the file of keys: %w", err)
	}
	return open(text, list...)
}

func open(text string, keys ...age.Identity) (c Content, err error) {
	sealed, err := sealedIn(text)
	if err != nil {
		return c, err
	}
	r, err := age.Decrypt(bytes.NewReader(sealed), keys...)
	if noMatch := (*age.NoIdentityMatchError)(nil); errors.As(err, &noMatch) {
		return c, ErrWrong
	}
	if err != nil {
		return c, fmt.Errorf("the sheet cannot be read: %w", err)
	}
	plain, err := io.ReadAll(io.LimitReader(r, longest))
	if err != nil {
		return c, fmt.Errorf("the sheet was altered, or a part of it is missing: %w", err)
	}
	if err := json.Unmarshal(plain, &c); err != nil || c.Format != Format {
		return c, fmt.Errorf("what is sealed is not of the format %s", Format)
	}
	return c, nil
}

// sealedIn finds what is sealed in the text of a sheet, in a page of one, or in its parts as they were scanned.
func sealedIn(text string) ([]byte, error) {
	if begin := strings.Index(text, armor.Header); begin >= 0 {
		end := strings.Index(text[begin:], armor.Footer)
		if end < 0 {
			return nil, fmt.Errorf("the end of the sheet is missing (%s)", armor.Footer)
		}
		block := html.UnescapeString(text[begin : begin+end+len(armor.Footer)]) // of a page
		return io.ReadAll(armor.NewReader(strings.NewReader(block)))
	}
	return joined(text)
}

// partSize is how much of what is sealed a part has: its QR code can still be read from paper.
const partSize = 600 // bytes

var (
	letters = base32.StdEncoding.WithPadding(base32.NoPadding)
	part    = regexp.MustCompile(`RWSHEET:(\d{1,3})/(\d{1,3}):([A-Z0-9]{4}):([A-Z2-7]+)`)
)

// Parts are what is sealed in parts for QR codes, each with its place and a mark of the sheet, of letters that such
// codes write short.
func Parts(sealed string) ([]string, error) {
	all, err := sealedIn(sealed)
	if err != nil {
		return nil, err
	}
	chunks := slices.Collect(slices.Chunk(all, partSize))
	parts, mark := make([]string, len(chunks)), rand.Text()[:4]
	for i, c := range chunks {
		parts[i] = fmt.Sprintf("RWSHEET:%d/%d:%s:%s", i+1, len(chunks), mark, letters.EncodeToString(c))
	}
	return parts, nil
}

// joined puts parts together, in whatever order they stand.
func joined(text string) ([]byte, error) {
	found := part.FindAllStringSubmatch(text, -1)
	if len(found) == 0 {
		return nil, ErrNoSheet
	}
	all := map[string]string{}
	for _, f := range found {
		if f[2] != found[0][2] || f[3] != found[0][3] {
			return nil, errors.New("these are parts of two sheets; open one after the other")
		}
		all[f[1]] = f[4]
	}
	count, err := strconv.Atoi(found[0][2])
	if err != nil {
		return nil, err
	}
	var sealed []byte
	for i := 1; i <= count; i++ {
		bytes, err := letters.DecodeString(all[strconv.Itoa(i)])
		if err != nil || len(bytes) == 0 {
			return nil, fmt.Errorf("part %d of %d is missing, or was read wrongly; scan it again", i, count)
		}
		sealed = append(sealed, bytes...)
	}
	return sealed, nil
}
