package e2e

import (
	"context"
	"fmt"
	"slices"
	"testing"

	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"rankwarden.example/e2e/browser"
)

// timed has a page note, in milliseconds since it was opened, when what it is about was first drawn, and how long its
// longest task was.
const timed = `window.noted = {ready: 0, longest: 0, shift: 0};
new PerformanceObserver(list => {
	for (const e of list.getEntries()) window.noted.longest = Math.max(window.noted.longest, e.duration);
}).observe({type: "longtask", buffered: true});
new PerformanceObserver(list => {
	for (const e of list.getEntries()) if (!e.hadRecentInput) window.noted.shift += e.value;
}).observe({type: "layout-shift", buffered: true});
(function look() {
	if (window.noted.ready) return;
	if (document.querySelector(%q)) window.noted.ready = performance.now();
	requestAnimationFrame(look);
})();`

// noted is what a page noted of itself.
type noted struct{ Ready, Longest, Shift float64 }

// pageMeasured opens a page as whoever is signed in, again and again, and reports the median.
func pageMeasured(b *testing.B, tab *tab, url, ready string) {
	var all []noted
	for b.Loop() {
		var script page.ScriptIdentifier
		var now noted
		tab.do(url, chromedp.Navigate("about:blank"), chromedp.ActionFunc(func(ctx context.Context) (err error) {
			script, err = page.AddScriptToEvaluateOnNewDocument(fmt.Sprintf(timed, ready)).Do(ctx)
			return err
		}))
		tab.do(url, chromedp.Navigate(url), browser.Seen(ready), browser.Until("window.noted?.ready > 0"),
			chromedp.Evaluate(layoutShift, nil, browser.Awaited), chromedp.Evaluate("window.noted", &now),
			chromedp.ActionFunc(func(ctx context.Context) error {
				return page.RemoveScriptToEvaluateOnNewDocument(script).Do(ctx)
			}))
		all = append(all, now)
	}
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(median(all, func(n noted) float64 { return n.Ready }), "ms-ready")
	b.ReportMetric(median(all, func(n noted) float64 { return n.Longest }), "ms-longest-task")
	b.ReportMetric(median(all, func(n noted) float64 { return n.Shift }), "shift")
}

// BenchmarkConsole shows how soon pages are ready, how long their longest task is and how much they move, in fleets of
// several sizes.
func BenchmarkConsole(b *testing.B) {
	for _, devices := range []int{240, 5000, 50_000} {
		_, server, _ := reportedFleet(b, devices)
		tab := openTab(b, 1280, 800)
		tab.do("sign in", browser.SignIn(server.URL, "asta", ownerPassword))
		for _, of := range [][2]string{
			{"/watch", `[role="img"]`}, {"/devices", `[role="cell"] a`}, {"/drift", `[role="cell"] a`},
			{"/ladder?group=group-3", "h1"}, {"/passwords", "h1"}, {"/policies", "h1"}, {"/trail", `[role="cell"]`},
		} {
			b.Run(fmt.Sprintf("%d%s", devices, of[0]), func(b *testing.B) {
				pageMeasured(b, tab, server.URL+of[0], of[1])
			})
		}
	}
}

// BenchmarkScrolling shows how many frames a second are drawn while somebody scrolls through fifty thousand rows.
func BenchmarkScrolling(b *testing.B) {
	const rows = 50_000
	_, server, _ := reportedFleet(b, rows)
	tab := openTab(b, 1280, 800)
	tab.do("sign in", browser.SignIn(server.URL, "asta", ownerPassword))
	tab.do("all rows are read", chromedp.Navigate(server.URL+"/devices"), browser.Seen(`[role="cell"] a`),
		chromedp.Focus(`[aria-label="Devices, the part in sight"]`), chromedp.KeyEvent(kb.End),
		browser.Until(fmt.Sprintf(`document.querySelector('[role="table"]').getAttribute("aria-rowcount") >= %d`,
			rows)))
	var frames []float64
	for b.Loop() {
		var each []float64
		tab.do("scroll", chromedp.Evaluate(scrolled, &each, browser.Awaited))
		frames = append(frames, each...)
	}
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(1000/median(frames, func(f float64) float64 { return f }), "frames/s")
	b.ReportMetric(quantile(frames, 0.99, func(f float64) float64 { return f }), "ms-99-of-100-frames")
}

// scrolled moves a list by 40 pixels each frame, 240 times, and gives the milliseconds of each frame.
const scrolled = `new Promise(done => {
	const list = document.querySelector('[aria-label="Devices, the part in sight"]');
	list.scrollTop = 0;
	const frames = [];
	let last = 0;
	requestAnimationFrame(function step(now) {
		if (last) frames.push(now - last);
		last = now;
		list.scrollTop += 40;
		if (frames.length < 240) requestAnimationFrame(step); else done(frames);
	});
})`

// BenchmarkFirstPaint shows when something stands there for whoever opens the console over a line of 400 kbit/s.
func BenchmarkFirstPaint(b *testing.B) {
	_, s, _ := benched(b)
	var painted []float64
	for b.Loop() {
		tab := openTab(b, 1280, 800)
		var at float64
		tab.do("open", network.Enable(), network.EmulateNetworkConditions(false, 100, 50_000, 50_000),
			chromedp.Navigate(s.URL), browser.Seen(`input[name="name"]`),
			chromedp.Evaluate(`performance.getEntriesByName("first-contentful-paint")[0].startTime`, &at))
		painted = append(painted, at)
	}
	b.ReportMetric(0, "ns/op")
	b.ReportMetric(median(painted, func(f float64) float64 { return f }), "ms-first-paint")
}

func median[T any](all []T, of func(T) float64) float64 { return quantile(all, 0.5, of) }

func quantile[T any](all []T, share float64, of func(T) float64) float64 {
	values := make([]float64, len(all))
	for i, x := range all {
		values[i] = of(x)
	}
	slices.Sort(values)
	return values[min(int(share*float64(len(values))), len(values)-1)]
}
