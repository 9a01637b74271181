// Command shots takes every picture of docs/screenshots again, from the running demo.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"github.com/chromedp/chromedp"

	"rankwarden.example/demo"
	"rankwarden.example/e2e/browser"
)

// page is one page of the console, ready when the selector is on it.
type page struct {
	name, path, ready string
	dark              bool
	then              []chromedp.Action
}

var pages = []page{
	{name: "watch", path: "/watch", ready: `[aria-label^="Devices of"]`},
	{name: "devices", path: "/devices", ready: `[role="cell"] a`},
	{name: "device", path: "/devices/SKL-WKS-003", ready: `tbody th`},
	{name: "report", path: "/report", ready: `svg[role="img"]`},
	{name: "accounts", path: "/accounts?which=left", ready: `[role="cell"] a`},
	{name: "warrants", path: "/warrants", ready: `[role="cell"] span`},
	{name: "ladder", path: "/ladder?group=head-office", ready: `tbody th`},
	{name: "rollout", path: "/rollouts/" + demo.SlowRollout, ready: `svg[role="img"]`},
	{name: "change", path: "/changes/" + demo.ChangeName, ready: `section li`},
	{name: "policy", path: "/policies/base", ready: `.cm-content`},
	{
		name:  "password-shown",
		path:  "/passwords?group=ticket-desks&device=SKL-TKT-007&account=account%3Amooring",
		ready: `textarea`,
		then: []chromedp.Action{
			browser.Type("textarea", "ticket 4711: the printer driver must be reinstalled"),
			browser.Click(`button[value="show"]`),
			browser.Seen(`[data-secret]`),
		},
	},
	{name: "drift", path: "/drift", ready: `[role="cell"] a`},
	{
		name:  "trail",
		path:  "/trail?action=assignment",
		ready: `[role="cell"] button`,
		then: []chromedp.Action{
			browser.Click(`//button[.="Check all entries"]`),
			browser.Reads("hang together"),
			browser.Click(`[role="cell"] button`),
			browser.Seen("tbody td"),
		},
	},
}

// commands are shown in a terminal, one picture each.
var commands = []struct{ name, line string }{
	{"cli-watch", "rankwarden watch; rankwarden policy list"},
	{"cli-rollout", "rankwarden rollout list; rankwarden rollout show " + demo.StoppedRollout},
	{"cli-explain", "rankwarden explain SKL-WKS-003 administrators; rankwarden explain SKL-TKT-003 lockout"},
	{"cli-preview", "rankwarden change list; rankwarden preview " + demo.ChangeName},
	{
		"cli-password",
		"rankwarden password list --group ticket-desks --most 6; rankwarden password show SKL-TKT-006 --reason " +
			"ticket-4711; rankwarden password deposits SKL-TKT-006",
	},
	{"cli-drift", "rankwarden drift; rankwarden policy check slip.yaml"},
}

func main() {
	data := flag.String("data", ".demo", "directory of the running demo")
	url := flag.String("url", "http://127.0.0.1:8470", "address of the running demo")
	out := flag.String("out", "docs/screenshots", "directory for the pictures")
	only := flag.String("only", "", "take only this picture")
	flag.Parse()
	if err := run(*data, *url, *out, *only); err != nil {
		fmt.Fprintln(os.Stderr, "shots:", err)
		os.Exit(1)
	}
}

func run(data, url, out, only string) error {
	password, err := os.ReadFile(filepath.Join(data, "password"))
	if err != nil {
		return fmt.Errorf("no demo is running here (%w); run: make demo", err)
	}
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(context.Background(), 2*time.Minute)
	defer cancel()
	return errors.Join(
		takePages(ctx, url, strings.TrimSpace(string(password)), out, only),
		takeTerminals(ctx, url, strings.TrimSpace(string(password)), out, only),
	)
}

func takePages(ctx context.Context, url, password, out, only string) error {
	running, err := browser.Start(ctx)
	if err != nil {
		return err
	}
	defer running.Close()
	tab, closeWindow, err := running.Window(ctx, 1280, 800)
	if err != nil {
		return err
	}
	defer closeWindow()
	steps := append(chromedp.Tasks{browser.Dark(false)}, browser.SignIn(url, demo.Owner, password)...)
	if err := chromedp.Run(tab, steps); err != nil {
		return fmt.Errorf("signing in: %w", err)
	}
	for _, p := range pages {
		if only != "" && only != p.name {
			continue
		}
		var picture []byte
		steps := chromedp.Tasks{browser.Dark(p.dark), chromedp.Navigate(url + p.path), browser.Seen(p.ready)}
		steps = append(append(steps, p.then...), fontsReady(), chromedp.CaptureScreenshot(&picture))
		if err := chromedp.Run(tab, steps); err != nil {
			return fmt.Errorf("page %s: %w", p.name, err)
		}
		if err := os.WriteFile(filepath.Join(out, p.name+".png"), picture, 0o644); err != nil {
			return err
		}
	}
	return nil
}

// fontsReady waits until the page's fonts are there and it was drawn with them.
func fontsReady() chromedp.Action {
	return chromedp.Evaluate(
		`document.fonts.ready.then(() => new Promise(done => requestAnimationFrame(() => requestAnimationFrame(done))))`,
		nil,
		chromedp.EvalIgnoreExceptions,
		browser.Awaited,
	)
}

const slip = `format: rankwarden.policy/1
name: counters
passwords:
  min_lenght: 14
  password: not-in-here
lockout:
  threshold: 5
  duration: 15m
  window: 20m
membership:
  - local_group: administratrs
    mode: exact
    members: [mooring]
`

// takeTerminals runs commands in a terminal window on a screen of its own.
func takeTerminals(ctx context.Context, url, password, out, only string) error {
	home, err := os.MkdirTemp("", "rankwarden-shots-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(home)
	bin, err := filepath.Abs("bin")
	if err != nil {
		return err
	}
	env := append(os.Environ(), "HOME="+home, "XDG_CONFIG_HOME="+home, "PATH="+bin+":"+os.Getenv("PATH"))
	signIn := exec.CommandContext(
		ctx,
		filepath.Join(bin, "rankwarden"),
		"sign-in",
		"--server",
		url,
		"--name",
		demo.Owner,
		"--password-stdin",
	)
	signIn.Stdin, signIn.Env = strings.NewReader(password+"\n"), env
	if message, err := signIn.CombinedOutput(); err != nil {
		return fmt.Errorf("signing in: %w: %s", err, message)
	}
	if err := os.WriteFile(filepath.Join(home, "slip.yaml"), []byte(slip), 0o600); err != nil {
		return err
	}
	scenario, err := os.ReadFile("demo/scenarios/ticket-desks.yaml")
	if err == nil {
		err = os.WriteFile(filepath.Join(home, "ticket-desks.yaml"), scenario, 0o600)
	}
	if err != nil {
		return err
	}
	for _, c := range commands {
		if only != "" && only != c.name {
			continue
		}
		picture, err := filepath.Abs(filepath.Join(out, c.name+".png"))
		if err != nil {
			return err
		}
		if err := takeTerminal(ctx, env, home, c.line, picture); err != nil {
			return fmt.Errorf("terminal %s: %w", c.name, err)
		}
	}
	return nil
}

func takeTerminal(ctx context.Context, env []string, home, line, picture string) error {
	done := filepath.Join(home, "done")
	os.Remove(done)
	shown := strings.ReplaceAll(line, "; ", "\n$ ")
	var script strings.Builder
	for _, command := range strings.Split(shown, "\n$ ") {
		fmt.Fprintf(&script, "printf '\\033[1m$ %%s\\033[0m\\n' '%s'; %s; echo; ", command, command)
	}
	// The picture is taken from inside the terminal once the command has ended and was drawn.
	fmt.Fprintf(&script, "sleep 0.5; import -window root '%s'; touch '%s'", picture, done)
	x := exec.CommandContext(
		ctx,
		"xvfb-run",
		"-a",
		"-s",
		"-screen 0 1280x800x24",
		"xterm",
		"-geometry",
		"157x46+0+0",
		"-fa",
		"DejaVu Sans Mono",
		"-fs",
		"10",
		"-bg",
		"#0C2126",
		"-fg",
		"#E9E3D5",
		"-xrm",
		"xterm*color1: #F0787A",
		"-xrm",
		"xterm*color2: #63C7A1",
		"-xrm",
		"xterm*color4: #86B2E6",
		"-xrm",
		"xterm*color5: #C79BD1",
		"-xrm",
		"xterm*color3: #D9A43B",
		"-xrm",
		"xterm*color8: #9AA5A6",
		"-b",
		"8",
		"-e",
		"bash",
		"-c",
		script.String(),
	)
	x.Env, x.Dir = env, home
	if message, err := x.CombinedOutput(); err != nil {
		return fmt.Errorf("%w: %s", err, message)
	}
	if _, err := os.Stat(done); err != nil {
		return errors.New("the terminal ended before the picture was taken")
	}
	return nil
}
