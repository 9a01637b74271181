// Package browser drives a headless Chromium from the operating system's packages.
package browser

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"strings"
	"sync"
	"time"

	"github.com/chromedp/cdproto"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/target"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// ErrNone is given when Chromium is not installed.
var ErrNone = errors.New("chromium is not installed; run: apt-get install chromium")

// Browser is a running one, with a profile of its own.
type Browser struct {
	context.Context
	// Close ends it and deletes its profile.
	Close func()

	said said
}

// Start starts a browser with a new profile.
func Start(ctx context.Context) (*Browser, error) {
	path, err := exec.LookPath("chromium")
	if err != nil {
		return nil, ErrNone
	}
	profile, err := os.MkdirTemp("", "rankwarden-browser-*")
	if err != nil {
		return nil, fmt.Errorf("a new profile: %w", err)
	}
	b := &Browser{}
	options := append([]chromedp.ExecAllocatorOption{}, chromedp.DefaultExecAllocatorOptions[:]...)
	for _, flag := range []string{"headless", "no-sandbox", "disable-gpu", "disable-quic", "no-first-run",
		"disable-background-networking", "disable-component-update", "disable-sync"} {
		options = append(options, chromedp.Flag(flag, true))
	}
	options = append(options, chromedp.ExecPath(path), chromedp.UserDataDir(profile), chromedp.CombinedOutput(&b.said))
	allocated, endAllocator := chromedp.NewExecAllocator(ctx, options...)
	first, _ := chromedp.NewContext(allocated)
	b.Context, b.Close = first, func() {
		// waits until the browser has ended, so that nothing writes into its profile any more
		_ = chromedp.Cancel(first)
		endAllocator()
		os.RemoveAll(profile)
	}
	if err := chromedp.Run(first); err != nil {
		b.Close()
		return nil, fmt.Errorf("starting chromium: %w", err)
	}
	return b, nil
}

// Said is the end of what the browser wrote to its error output.
func (b *Browser) Said() string {
	b.said.mu.Lock()
	defer b.said.mu.Unlock()
	return string(b.said.end)
}

// said keeps the end of what is written.
type said struct {
	mu  sync.Mutex
	end []byte
}

const keptBytes = 4096

func (s *said) Write(data []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.end = append(s.end, data...)
	s.end = s.end[max(0, len(s.end)-keptBytes):]
	return len(data), nil
}

// Window opens a window of the given size that knows nothing of the sessions of others, and has the focus as they have;
// it is closed at the latest when ctx ends.
func (b *Browser) Window(ctx context.Context, width, height int) (tab context.Context, closeWindow func(), err error) {
	itself := cdp.WithExecutor(b, chromedp.FromContext(b).Browser)
	own, err := target.CreateBrowserContext().WithDisposeOnDetach(true).Do(itself)
	if err != nil {
		return nil, nil, fmt.Errorf("opening a window: %w", err)
	}
	id, err := target.CreateTarget("about:blank").WithBrowserContextID(own).WithNewWindow(true).Do(itself)
	if err != nil {
		return nil, nil, fmt.Errorf("opening a window: %w", err)
	}
	tab, closeTab := chromedp.NewContext(b, chromedp.WithTargetID(id))
	chromedp.FromContext(tab).BrowserContextID = own // where further tabs of this window open
	closeWindow = func() {
		closeTab()
		_ = target.DisposeBrowserContext(own).Do(itself) // the browser may have ended
	}
	context.AfterFunc(ctx, closeTab)
	err = chromedp.Run(
		tab,
		chromedp.EmulateViewport(int64(width), int64(height)),
		emulation.SetFocusEmulationEnabled(true),
	)
	if err != nil {
		closeWindow()
		return nil, nil, fmt.Errorf("opening a window: %w", err)
	}
	return tab, closeWindow, nil
}

// SignIn opens the console and signs in, as somebody who has left the tour.
func SignIn(url, name, password string) chromedp.Tasks {
	return append(chromedp.Tasks{
		chromedp.Navigate(url),
		chromedp.Evaluate(fmt.Sprintf(`localStorage.setItem("rankwarden tour of %s", "left")`, name), nil),
	}, FirstSignIn(url, name, password)...)
}

// FirstSignIn opens the console and signs in, for the first time in this browser.
func FirstSignIn(url, name, password string) chromedp.Tasks {
	return chromedp.Tasks{
		chromedp.Navigate(url),
		Seen(`input[name="name"]`),
		Type(`input[name="name"]`, name),
		Type(`input[name="password"]`, password),
		Click(`form button[type="submit"]`),
		Seen(`nav[aria-label="Places"]`),
	}
}

// SignInAt opens the console and signs in with an identity provider, as somebody whom its page offers.
func SignInAt(url, provider, name string) chromedp.Tasks {
	return chromedp.Tasks{
		chromedp.Navigate(url),
		Click(fmt.Sprintf(`//a[normalize-space(.)=%q]`, "Sign in with "+provider)),
		Click(fmt.Sprintf(`//button[contains(., %q)]`, name)),
		Seen(`nav[aria-label="Places"]`),
	}
}

// Until waits until an expression is true in the page.
func Until(expression string) chromedp.Action { return given(expression, new(bool)) }

// given waits until an expression gives something in the page, and keeps it; one about what is not there yet gives
// nothing. A page that is just being left has no place to ask any more; then the one that comes is asked.
func given(expression string, result any) chromedp.Action {
	poll := chromedp.Poll(
		"(() => { try { return "+expression+" } catch (e) { if (e instanceof TypeError) return false; throw e } })()",
		result,
		chromedp.WithPollingInterval(pollEvery),
		chromedp.WithPollingTimeout(patience),
	)
	return chromedp.ActionFunc(func(ctx context.Context) error {
		for {
			err := poll.Do(ctx)
			if err == nil || !left(err) || ctx.Err() != nil {
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

// atPoint finds what a CSS selector, or an XPath that begins with //, names first. It gives the middle of it once a
// click there reaches it: it is on the page, can be used, and nothing lies over it. A listener notes that it was
// clicked, or what has come in its place since.
const atPoint = `((path) => {
	const named = (path) => path.startsWith("//")
		? document.evaluate(path, document, null, XPathResult.FIRST_ORDERED_NODE_TYPE, null).singleNodeValue
		: document.querySelector(path)
	const found = named(path)
	if (!found || found.disabled) return null
	found.scrollIntoView({block: "nearest", inline: "nearest"})
	const box = found.getBoundingClientRect()
	const at = [box.x + box.width / 2, box.y + box.height / 2]
	if (box.width === 0 || !found.contains(document.elementFromPoint(...at))) return null
	window.clickArrived = false
	document.addEventListener("click", ({target}) => {
		window.clickArrived = named(path)?.contains(target) ?? false
	}, {capture: true, once: true})
	return at
})(%q)`

// Click clicks what a CSS selector, or an XPath that begins with //, names first, as soon as that can be clicked. A
// click that went elsewhere, because the page moved in the same moment, is made again.
func Click(path string) chromedp.Action {
	return chromedp.ActionFunc(func(ctx context.Context) error {
		for {
			var at []float64
			if err := given(fmt.Sprintf(atPoint, path), &at).Do(ctx); err != nil {
				return err
			}
			if err := chromedp.MouseClickXY(at[0], at[1]).Do(ctx); err != nil {
				return err
			}
			arrived := true // also on a page that has gone since
			if err := chromedp.Evaluate("window.clickArrived !== false", &arrived).Do(ctx); err != nil && !left(err) {
				return err
			}
			if arrived {
				return nil
			}
		}
	})
}

// Person chooses what the menu of whoever is signed in offers, by the words that it begins with.
func Person(choice string) chromedp.Tasks {
	return menu(`[...document.querySelectorAll("header button")].find(b => b.ariaLabel?.includes("sign out"))`, choice)
}

// More chooses a place that has no room in the band.
func More(choice string) chromedp.Tasks {
	return menu(`[...document.querySelectorAll("header button")].find(b => b.innerText === "More")`, choice)
}

// menu opens a menu by the keyboard, and chooses something in it: a menu opens before the button of the mouse is let
// go, and the click goes elsewhere.
func menu(trigger, choice string) chromedp.Tasks {
	return chromedp.Tasks{
		Until(fmt.Sprintf(`(b => b !== undefined && (b.focus(), document.activeElement === b))(%s)`, trigger)),
		chromedp.KeyEvent(kb.Enter),
		Click(fmt.Sprintf(`//div[@role="menuitem"][starts-with(., %q)]`, choice)),
	}
}

// focus puts the cursor into a field once it can be typed into, and says whether it is there.
const focus = `((selector) => {
	const field = document.querySelector(selector)
	if (!field || field.disabled) return false
	field.focus()
	return document.activeElement === field
})(%q)`

// Type types into the field that a CSS selector names first, as soon as that can be typed into. It waits until
// the field has it.
func Type(selector, text string) chromedp.Action {
	return chromedp.Tasks{
		Until(fmt.Sprintf(focus, selector)),
		chromedp.ActionFunc(func(ctx context.Context) error { return input.InsertText(text).Do(ctx) }),
		Until(fmt.Sprintf(`document.querySelector(%q).value.includes(%q)`, selector, text)),
	}
}

// hasFocus reports whether what has the focus is called so: by its label, or by what it reads.
const hasFocus = `((name) => {
	const e = document.activeElement
	const called = e.getAttribute("aria-label") || e.labels?.[0]?.innerText || e.innerText || ""
	return called.trim().startsWith(name) && !e.disabled
})(%q)`

// TabTo presses the tab key until what is called so has the focus, as somebody without a mouse does.
func TabTo(name string) chromedp.Action {
	return chromedp.ActionFunc(func(ctx context.Context) error {
		began := time.Now()
		for time.Since(began) < patience {
			if err := chromedp.KeyEvent(kb.Tab).Do(ctx); err != nil {
				return err
			}
			var there bool
			if err := chromedp.Evaluate(fmt.Sprintf(hasFocus, name), &there).Do(ctx); err != nil && !left(err) {
				return err
			}
			if there {
				return nil
			}
		}
		return fmt.Errorf("the tab key does not come to %q", name)
	})
}

// Palette opens what finds anything by its key, types, and takes the first that is found once it reads so.
func Palette(text, found string) chromedp.Tasks {
	return chromedp.Tasks{
		chromedp.KeyEvent("k", chromedp.KeyModifiers(input.ModifierCtrl)),
		Seen(`[role="dialog"] [role="combobox"]`),
		chromedp.KeyEvent(text),
		Until(fmt.Sprintf(`document.querySelector('[role="dialog"] [role="option"][data-selected="true"]').innerText.includes(%q)`, found)),
		chromedp.KeyEvent(kb.Enter),
		Until(`document.querySelector('[role="dialog"] [role="combobox"]') === null`),
	}
}

// patience is how long a page may take, and pollEvery how often it is looked at.
const (
	patience  = 2 * time.Minute
	pollEvery = 50 * time.Millisecond
)

// left reports whether a page could not be asked because another one takes its place.
func left(err error) bool {
	var gone *cdproto.Error
	return errors.As(err, &gone) &&
		(strings.Contains(gone.Message, "context") || strings.Contains(gone.Message, "navigated"))
}

// Dark makes the browser prefer dark colours, or light ones.
func Dark(dark bool) chromedp.Action {
	scheme := map[bool]string{true: "dark", false: "light"}[dark]
	return emulation.SetEmulatedMedia().
		WithFeatures([]*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: scheme},
			{Name: "prefers-reduced-motion", Value: "reduce"}})
}

// Awaited makes an evaluation end when its promise does.
func Awaited(p *runtime.EvaluateParams) *runtime.EvaluateParams { return p.WithAwaitPromise(true) }
