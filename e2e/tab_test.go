package e2e

import (
	"context"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/e2e/browser"
)

// chromium is the one browser of all tests: each has windows of its own in it.
var chromium shared

// shared is a browser that is started when it is first needed, and again when it has ended.
type shared struct {
	mu      sync.Mutex
	current *browser.Browser
}

func (s *shared) running() (_ *browser.Browser, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.current != nil && s.current.Err() != nil {
		fmt.Println("the browser of the tests has ended; what it said last:", s.current.Said())
		s.current.Close()
		s.current = nil
	}
	if s.current == nil {
		s.current, err = browser.Start(context.Background())
	}
	return s.current, err
}

func (s *shared) close() {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.current != nil {
		s.current.Close()
	}
}

// tab is a browser that gathers what goes wrong in it.
type tab struct {
	context.Context
	t      testing.TB
	mu     sync.Mutex
	errors []string
}

func openTab(t testing.TB, width, height int) *tab {
	// Not the context of the test, which ends before its browser is closed.
	ctx, cancel := context.WithTimeout(context.WithoutCancel(t.Context()), 15*time.Minute)
	t.Cleanup(cancel)
	running, err := chromium.running()
	require.NoError(t, err)
	opened, closeWindow, err := running.Window(ctx, width, height)
	require.NoError(t, err)
	t.Cleanup(closeWindow)
	b := &tab{Context: opened, t: t}
	chromedp.ListenTarget(opened, func(event any) {
		b.mu.Lock()
		defer b.mu.Unlock()
		switch e := event.(type) {
		case *log.EventEntryAdded:
			// The question who is signed in is answered with 401 when nobody is.
			if e.Entry.Level == log.LevelError && !strings.HasSuffix(e.Entry.URL, "/api/v1/session") {
				b.errors = append(b.errors, e.Entry.Text+" "+e.Entry.URL)
			}
		case *runtime.EventConsoleAPICalled:
			if e.Type == runtime.APITypeError || e.Type == runtime.APITypeWarning {
				b.errors = append(b.errors, said(e.Args))
			}
		case *runtime.EventExceptionThrown:
			b.errors = append(b.errors, e.ExceptionDetails.Error())
		}
	})
	return b
}

// said is what a page writes to the browser's console.
func said(args []*runtime.RemoteObject) string {
	var words []string
	for _, a := range args {
		words = append(words, strings.Trim(string(a.Value), `"`)+a.Description)
	}
	return strings.Join(words, " ")
}

// forget leaves out the errors until now, which were asked for.
func (b *tab) forget() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.errors = nil
}

func (b *tab) do(what string, actions ...chromedp.Action) {
	b.t.Helper()
	err := chromedp.Run(b, actions...)
	if err != nil {
		var page string
		_ = chromedp.Run(b, chromedp.Evaluate("document.body.innerText", &page)) // to see what was there instead
		require.NoError(b.t, err, "%s\n%s", what, page)
	}
}

func (b *tab) noErrors() {
	b.mu.Lock()
	defer b.mu.Unlock()
	assert.Empty(b.t, b.errors)
}

func click(text string) chromedp.Action {
	return browser.Click(fmt.Sprintf(`//button[normalize-space(.)=%q]`, text))
}

// enabled waits until a button can be pressed.
func enabled(text string) chromedp.Action {
	return browser.Until(
		fmt.Sprintf(`[...document.querySelectorAll("button")].some(b => b.innerText === %q && !b.disabled)`, text),
	)
}

func press(selector, keys string) chromedp.Tasks {
	return chromedp.Tasks{
		chromedp.Evaluate(fmt.Sprintf("document.querySelector(%q).focus()", selector), nil),
		chromedp.KeyEvent(keys),
	}
}
