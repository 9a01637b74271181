// Package browser drives a headless Chromium from the operating system's packages.
package browser

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"time"

	"github.com/chromedp/cdproto"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
)

// ErrNone is given when Chromium is not installed.
var ErrNone = errors.New("chromium is not installed; run: apt-get install chromium")

// Open starts a browser with a window of the given size and a new profile; close ends both.
func Open(ctx context.Context, width, height int) (tab context.Context, closeAll func(), err error) {
	path, err := exec.LookPath("chromium")
	if err != nil {
		return nil, nil, ErrNone
	}
	profile, err := os.MkdirTemp("", "rankwarden-browser-*")
	if err != nil {
		return nil, nil, fmt.Errorf("a new profile: %w", err)
	}
	options := append([]chromedp.ExecAllocatorOption{}, chromedp.DefaultExecAllocatorOptions[:]...)
	for _, flag := range []string{"headless", "no-sandbox", "disable-gpu", "disable-quic", "no-first-run",
		"disable-background-networking", "disable-component-update", "disable-sync"} {
		options = append(options, chromedp.Flag(flag, true))
	}
	options = append(
		options,
		chromedp.ExecPath(path),
		chromedp.UserDataDir(profile),
		chromedp.WindowSize(width, height),
	)
	allocated, endAllocator := chromedp.NewExecAllocator(ctx, options...)
	tab, endTab := chromedp.NewContext(allocated)
	closeAll = func() {
		endTab()
		endAllocator()
		os.RemoveAll(profile)
	}
	if err := chromedp.Run(tab, chromedp.EmulateViewport(int64(width), int64(height))); err != nil {
		closeAll()
		return nil, nil, fmt.Errorf("starting chromium: %w", err)
	}
	return tab, closeAll, nil
}

// SignIn opens the console and signs in.
func SignIn(url, name, password string) chromedp.Tasks {
	return chromedp.Tasks{
		chromedp.Navigate(url),
		Seen(`input[name="name"]`),
		chromedp.SendKeys(`input[name="name"]`, name),
		chromedp.SendKeys(`input[name="password"]`, password),
		chromedp.Click(`form button[type="submit"]`),
		Seen(`nav[aria-label="Places"]`),
	}
}

// Until waits until an expression is true in the page. A page that is just being left has no place to ask any more; then
// the one that comes is asked.
func Until(expression string) chromedp.Action {
	var holds bool
	poll := chromedp.Poll(
		expression,
		&holds,
		chromedp.WithPollingInterval(50*time.Millisecond),
		chromedp.WithPollingTimeout(2*time.Minute),
	)
	return chromedp.ActionFunc(func(ctx context.Context) error {
		for {
			err := poll.Do(ctx)
			var gone *cdproto.Error
			if !errors.As(err, &gone) || !strings.Contains(gone.Message, "context") || ctx.Err() != nil {
				return err
			}
		}
	})
}

// Seen waits until something that the CSS selector matches is on the page.
func Seen(selector string) chromedp.Action {
	return Until(fmt.Sprintf("document.querySelector(%q) !== null", selector))
}

// Reads waits until the page reads so.
func Reads(words string) chromedp.Action {
	return Until(fmt.Sprintf("document.body.innerText.includes(%q)", words))
}

// Dark makes the browser prefer dark colours, or light ones.
func Dark(dark bool) chromedp.Action {
	scheme := map[bool]string{true: "dark", false: "light"}[dark]
	return emulation.SetEmulatedMedia().
		WithFeatures([]*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: scheme}, {Name: "prefers-reduced-motion", Value: "reduce"}})
}

// Awaited makes an evaluation end when its promise does.
func Awaited(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }
