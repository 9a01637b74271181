package windows

import (
	"context"
	"errors"

	"rankwarden.example/internal/agent/host"
)

var _ host.ShowsHelp = (*Host)(nil)

// helpTitle is by what a notice before signing in is known as one of the host's own.
const helpTitle = "If you cannot sign in"

// errNotice is given where somebody else wrote a notice.
var errNotice = errors.New("the machine shows another notice before signing in, which is left alone")

// ShowHelp implements [host.ShowsHelp] with the notice that everybody reads before signing in.
func (h *Host) ShowHelp(ctx context.Context, text string) error {
	return h.change(ctx, func() error {
		title, now, err := h.system.SignInNotice()
		switch {
		case err != nil:
			return err
		case (title != "" || now != "") && title != helpTitle:
			if text == "" {
				return nil
			}
			return errNotice
		case now == text:
			return nil
		case text == "":
			return h.system.SetSignInNotice("", "")
		}
		return h.system.SetSignInNotice(helpTitle, text)
	})
}
