package e2e

import (
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/e2e/browser"
)

// code is what an authenticator with a secret shows now; each is another one, since time goes on between.
func (s *service) code(secret string) string {
	s.clock.forward(30 * time.Second)
	code, err := totp.GenerateCode(secret, s.clock.now())
	require.NoError(s.t, err)
	return code
}

// factor gives whoever is signed in a second factor.
func (s *service) factor(c *client.Client) (secret string, recovery []string) {
	made, err := c.BeginSecondFactor(s.t.Context())
	require.NoError(s.t, err)
	recovery, err = c.ConfirmSecondFactor(s.t.Context(), s.code(made.Secret))
	require.NoError(s.t, err)
	return made.Secret, recovery
}

// enters tries to sign in.
func (s *service) enters(name, password, code string) error {
	_, err := client.New(s.URL, "").Look(hasLooked).SignInWithCode(s.t.Context(), name, password, code)
	return err
}

func TestNobodyWithASecondFactorSignsInWithoutIt(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	c, other := s.as("dagny", "support"), client.New(s.URL, "").Look(hasLooked)
	_, err := other.SignIn(ctx, "dagny", ownerPassword)
	require.NoError(t, err)
	_, err = c.ConfirmSecondFactor(ctx, "123456")
	problem(t, err, http.StatusConflict, "begin to set one up first")
	_, err = c.NewRecoveryCodes(ctx, ownerPassword, "")
	problem(t, err, http.StatusConflict, "you have no second factor")
	s.clock.forward(16 * time.Minute)
	_, err = c.BeginSecondFactor(ctx)
	problem(t, err, http.StatusForbidden, "within 15 minutes of signing in")
	require.NoError(t, c.SignInAgain(ctx, ownerPassword))
	made, err := c.BeginSecondFactor(ctx)
	require.NoError(t, err)
	assert.Contains(t, made.URI, "otpauth://totp/Skerry%20Line:dagny?")
	require.NoError(t, s.enters("dagny", ownerPassword, ""), "it counts once it is confirmed")
	_, err = c.ConfirmSecondFactor(ctx, "000000")
	problem(t, err, http.StatusUnprocessableEntity, "not one of this secret")
	first := s.code(made.Secret)
	recovery, err := c.ConfirmSecondFactor(ctx, first)
	require.NoError(t, err)
	require.Len(t, recovery, 10)
	_, err = other.Me(ctx)
	problem(t, err, http.StatusUnauthorized, "session has ended")
	_, err = c.Me(ctx)
	require.NoError(t, err)

	problem(t, s.enters("dagny", ownerPassword, ""), http.StatusUnauthorized, "enter the code")
	problem(t, s.enters("dagny", "not the password", ""), http.StatusUnauthorized, "name or password is wrong")
	problem(
		t,
		s.enters("dagny", "not the password", s.code(made.Secret)),
		http.StatusUnauthorized,
		"name or password is wrong",
	)
	problem(t, s.enters("dagny", ownerPassword, first), http.StatusUnauthorized, "used already")
	code := s.code(made.Secret)
	require.NoError(t, s.enters("dagny", ownerPassword, code[:3]+" "+code[3:]))
	problem(t, s.enters("dagny", ownerPassword, code), http.StatusUnauthorized, "used already")
	s.clock.forward(-30 * time.Second)
	early := s.code(made.Secret)
	s.clock.forward(5 * time.Minute)
	problem(t, s.enters("dagny", ownerPassword, early), http.StatusUnauthorized, "the code is wrong")
	require.NoError(t, s.enters("dagny", ownerPassword, strings.ToUpper(recovery[0])))
	problem(t, s.enters("dagny", ownerPassword, recovery[0]), http.StatusUnauthorized, "used already")
	refused, err := s.owner.Trail(ctx, client.TrailQuery{Actor: "dagny", Outcome: "refused"}, client.Page{})
	require.NoError(t, err)
	assert.Len(t, refused.Items, 4, "whoever has the password and not the code is on the trail by that name")

	s.clock.forward(16 * time.Minute)
	problem(t, c.SignInAgain(ctx, ownerPassword), http.StatusUnauthorized, "enter the code")
	require.NoError(t, c.SignInAgainWithCode(ctx, ownerPassword, s.code(made.Secret)))
	again, err := c.NewRecoveryCodes(ctx, ownerPassword, s.code(made.Secret))
	require.NoError(t, err)
	problem(t, s.enters("dagny", ownerPassword, recovery[1]), http.StatusUnauthorized, "the code is wrong")
	state, err := c.SecondFactor(ctx)
	require.NoError(t, err)
	assert.True(t, state.On)
	assert.Equal(t, 10, state.CodesLeft)

	kept := dump(t, s.config.Database)
	for _, secret := range append(append(again, recovery...), made.Secret) {
		assert.NotContains(t, kept, secret)
		assert.NotContains(t, kept, strings.ReplaceAll(secret, "-", ""))
	}
	problem(t, c.RemoveSecondFactor(ctx, ownerPassword, ""), http.StatusUnauthorized, "enter the code")
	require.NoError(t, c.RemoveSecondFactor(ctx, ownerPassword, again[3]))
	require.NoError(t, s.enters("dagny", ownerPassword, ""))
}

// One code lets one person in, however many give it at once.
func TestACodeIsTakenOnce(t *testing.T) {
	s := start(t)
	secret, recovery := s.factor(s.as("dagny", "support"))
	for _, code := range []string{s.code(secret), recovery[0]} {
		var in atomic.Int32
		var all sync.WaitGroup
		for range 4 {
			all.Go(func() {
				if s.enters("dagny", ownerPassword, code) == nil {
					in.Add(1)
				}
			})
		}
		all.Wait()
		assert.EqualValues(t, 1, in.Load())
	}
}

// Where everybody needs a second factor, somebody without one can set one up and do nothing else; the sealed owner gets
// in without, and that is an alarm until it is sealed anew.
func TestASecondFactorThatIsRequired(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	dagny := s.as("dagny", "viewer")
	s.stop()
	s.config.RequireSecondFactor = true
	s.run()
	_, err := dagny.Overview(ctx)
	problem(t, err, http.StatusForbidden, "set one up first")
	_, err = dagny.CreateToken(ctx, "way round", "", 1)
	problem(t, err, http.StatusForbidden, "set one up first")
	me, err := dagny.Me(ctx)
	require.NoError(t, err)
	assert.True(t, me.NeedsFactor)
	secret, _ := s.factor(dagny)
	_, err = dagny.Overview(ctx)
	require.NoError(t, err)
	problem(
		t,
		dagny.RemoveSecondFactor(ctx, ownerPassword, s.code(secret)),
		http.StatusConflict,
		"everybody here needs",
	)

	home := t.TempDir()
	cmd := rankwardend(
		home,
		"owner",
		"seal",
		"envelope",
		"--database",
		s.config.Database,
		"--keys",
		s.config.Keys,
		"--escrow-keys",
		s.config.EscrowKeys,
	)
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
	password, err := os.ReadFile(filepath.Join(home, "rankwarden-sealed-password"))
	require.NoError(t, err)
	alarmed := func(c *client.Client) bool {
		o, err := c.Overview(ctx)
		require.NoError(t, err)
		return slices.ContainsFunc(o.Decisions, func(d api.Decision) bool { return d.Kind == "sealed" })
	}
	envelope := client.New(s.URL, "").Look(hasLooked)
	_, err = envelope.SignIn(ctx, "envelope", strings.TrimSpace(string(password)))
	require.NoError(t, err)
	assert.True(t, alarmed(envelope))
	require.NoError(t, os.Remove(filepath.Join(home, "rankwarden-sealed-password")))
	out, err = rankwardend(home, cmd.Args[1:]...).CombinedOutput()
	require.NoError(t, err, string(out))
	problem(t, s.enters("envelope", strings.TrimSpace(string(password)), ""), http.StatusUnauthorized, "wrong")
	asta, _ := s.factor(s.owner)
	assert.False(t, alarmed(s.owner))

	// Who lost the authenticator and the recovery codes is helped by another owner.
	_, err = s.owner.EditOperator(ctx, "dagny", client.OperatorChange{ResetSecondFactor: true})
	require.NoError(t, err)
	require.NoError(t, s.enters("dagny", ownerPassword, ""))
	problem(t, s.enters("asta", ownerPassword, ""), http.StatusUnauthorized, "enter the code")
	require.NoError(t, s.enters("asta", ownerPassword, s.code(asta)))
}

// The command asks for the code; from standard input it is the line after the password.
func TestTheCommandSignsInWithACode(t *testing.T) {
	s := start(t)
	secret, _ := s.factor(s.as("dagny", "viewer"))
	cli := func(stdin string) (string, error) {
		cmd := exec.Command(
			filepath.Join(binaries, "rankwarden"),
			"sign-in",
			"--server",
			s.URL,
			"--name",
			"dagny",
			"--password-stdin",
		)
		cmd.Env = []string{"HOME=" + t.TempDir()}
		cmd.Stdin = strings.NewReader(stdin)
		out, err := cmd.CombinedOutput()
		return string(out), err
	}
	out, err := cli(ownerPassword + "\n")
	require.Error(t, err)
	assert.Contains(t, out, "on the line after the password")
	out, err = cli(ownerPassword + "\n" + s.code(secret) + "\n")
	require.NoError(t, err, out)
	assert.Contains(t, out, "Signed in to Skerry Line as dagny")
}

func TestASecondFactorInTheConsole(t *testing.T) {
	s := start(t)
	s.as("dagny", "viewer")
	b := openTab(t, 1280, 800)
	secret := ""
	b.do("set up",
		browser.SignIn(s.URL, "dagny", ownerPassword),
		browser.Person("Your sign-in"),
		click("Set up"),
		browser.Seen(`img[alt="The secret as a QR code"]`),
		chromedp.Evaluate(`document.querySelector("[data-secret]").innerText.replaceAll(" ", "")`, &secret),
	)
	b.axeInBoth("setting up a second factor")
	b.do("confirm",
		browser.Type(`input[autocomplete="one-time-code"]`, s.code(secret)),
		click("Turn on"),
		browser.Reads("Recovery codes: each signs you in once"),
		click("I have them"),
		browser.Reads("10 recovery codes are left"),
		browser.Person("Sign out"),
		browser.Until(`location.pathname === "/"`),
		chromedp.Navigate(s.URL),
		browser.Type(`input[name="name"]`, "dagny"),
		browser.Type(`input[name="password"]`, ownerPassword),
		browser.Click(`form button[type="submit"]`),
	)
	b.do("a wrong code",
		browser.Type(`input[name="code"]`, "000000"),
		browser.Click(`form button[type="submit"]`),
		browser.Reads("the code is wrong"),
	)
	b.do("the right one",
		chromedp.Evaluate(`document.querySelector("input[name=code]").select()`, nil),
		browser.Type(`input[name="code"]`, s.code(secret)),
		browser.Click(`form button[type="submit"]`),
		browser.Seen(`nav[aria-label="Places"]`),
	)
	b.noErrors()
}
