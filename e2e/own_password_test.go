package e2e

import (
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/api"
	"rankwarden.example/client"
	"rankwarden.example/e2e/browser"
)

const another = "another lamp over the pier"

// A password that an owner gave is good for one thing: choosing one's own.
func TestAFirstPasswordIsChangedBeforeAnythingElse(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	_, err := s.owner.CreateOperator(ctx, "dagny", firstPassword, api.Role{Role: "owner", Groups: []string{}})
	require.NoError(t, err)
	c := s.client()
	me, err := c.SignIn(ctx, "dagny", firstPassword)
	require.NoError(t, err)
	assert.True(t, me.MustChange)

	_, err = c.Policies(ctx, "", client.Page{})
	problem(t, err, 403, "change it first")
	_, err = c.CreateToken(ctx, "pipeline", "", 24)
	problem(t, err, 403, "change it first")
	_, err = c.EditOperator(ctx, "asta", client.OperatorChange{Disabled: new(true)})
	problem(t, err, 403, "change it first")

	problem(t, c.ChangeOwnPassword(ctx, "a guess at the first one", "", another), 401, "name or password is wrong")
	problem(t, c.ChangeOwnPassword(ctx, firstPassword, "", firstPassword), 422, "is the one that you have")
	problem(t, c.ChangeOwnPassword(ctx, firstPassword, "", "short"), 422, "12 characters")
	require.NoError(t, c.ChangeOwnPassword(ctx, firstPassword, "", another))
	me, err = c.Me(ctx)
	require.NoError(t, err)
	assert.False(t, me.MustChange)
	_, err = c.Policies(ctx, "", client.Page{})
	require.NoError(t, err, "the session goes on")
	_, err = s.client().SignIn(ctx, "dagny", firstPassword)
	problem(t, err, 401, "is wrong")

	// An owner gives another first one; whoever has a session or a token is out, and begins again.
	_, err = s.owner.EditOperator(ctx, "dagny", client.OperatorChange{Password: new(firstPassword)})
	require.NoError(t, err)
	_, err = c.Me(ctx)
	problem(t, err, 401, "sign in again")
	me, err = s.client().SignIn(ctx, "dagny", firstPassword)
	require.NoError(t, err)
	assert.True(t, me.MustChange)
	done, err := query[int64](t, s.config.Database,
		"select count(*) from audit_entries where action = 'operator.password_changed' and outcome = 'done'")
	require.NoError(t, err)
	assert.EqualValues(t, 1, done)
}

// One's own password is changed with the one that one has, and ends whatever somebody else may have begun with it.
func TestOnesOwnPasswordIsChanged(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	here := s.as("dagny", "author")
	elsewhere := s.client()
	_, err := elsewhere.SignIn(ctx, "dagny", ownerPassword)
	require.NoError(t, err)
	token, err := elsewhere.CreateToken(ctx, "pipeline", "", 24)
	require.NoError(t, err)
	program := client.New(s.URL, token.Secret)
	problem(t, program.ChangeOwnPassword(ctx, ownerPassword, "", another), 403, "")

	require.NoError(t, here.ChangeOwnPassword(ctx, ownerPassword, "", another))
	_, err = here.Me(ctx)
	require.NoError(t, err)
	_, err = elsewhere.Me(ctx)
	problem(t, err, 401, "sign in again")
	_, err = program.Me(ctx)
	problem(t, err, 401, "revoked")

	_, err = s.owner.EditOperator(ctx, "asta", client.OperatorChange{Password: new(another)})
	problem(t, err, 422, "your own password is changed with the one that you have")
}

// With a second factor, a session that was opened with it a short while ago needs no further code; an older one does.
func TestAnOwnPasswordWantsTheSecondFactor(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	c := s.as("dagny", "author")
	made, err := c.BeginSecondFactor(ctx)
	require.NoError(t, err)
	_, err = c.ConfirmSecondFactor(ctx, s.code(made.Secret))
	require.NoError(t, err)
	require.NoError(t, c.ChangeOwnPassword(ctx, ownerPassword, "", another))
	s.clock.forward(16 * time.Minute)
	err = c.ChangeOwnPassword(ctx, another, "", ownerPassword)
	assert.True(t, client.CodeNeeded(err), "%v", err)
	require.NoError(t, c.ChangeOwnPassword(ctx, another, s.code(made.Secret), ownerPassword))
}

// The command and the console change it too.
func TestOnesOwnPasswordIsChangedByCommandAndInTheConsole(t *testing.T) {
	s := start(t)
	ctx := t.Context()
	_, err := s.owner.CreateOperator(ctx, "dagny", firstPassword, api.Role{Role: "author", Groups: []string{}})
	require.NoError(t, err)
	home := t.TempDir()
	run := func(stdin string, args ...string) (string, error) {
		cmd := exec.Command(filepath.Join(binaries, "rankwarden"), append(args, "--server", s.URL, "--name", "dagny",
			"--password-stdin")...)
		cmd.Env, cmd.Stdin = []string{"HOME=" + home}, strings.NewReader(stdin)
		out, err := cmd.CombinedOutput()
		return string(out), err
	}
	out, err := run(firstPassword+"\n", "sign-in")
	require.Error(t, err)
	assert.Contains(t, out, "change it first: rankwarden operator password")
	out, err = run(firstPassword+"\n"+ownerPassword+"\n", "operator", "password")
	require.NoError(t, err, out)
	assert.Contains(t, out, "The password of dagny was changed. Your sessions and tokens have ended; sign in again")
	out, err = run(ownerPassword+"\n", "sign-in")
	require.NoError(t, err, out)

	b := openTab(t, 1280, 800)
	b.do("an owner gives a first password",
		browser.SignIn(s.URL, "asta", ownerPassword),
		chromedp.Navigate(s.URL+"/organisation/operators?operator=dagny"),
		click("Give a first password…"),
		browser.Reads("chooses another one before anything else"),
	)
	b.axeInBoth("giving a first password")
	b.do("which is given",
		browser.Type(`[role="dialog"] input`, firstPassword),
		click("Give it"),
		browser.Reads("dagny has a first password."),
		browser.Person("Sign out"),
		browser.Seen(`input[name="name"]`),
	)
	b.do("it is changed before anything else",
		browser.Type(`input[name="name"]`, "dagny"),
		browser.Type(`input[name="password"]`, firstPassword),
		browser.Click(`form button[type="submit"]`),
		browser.Reads("Welcome, dagny. Choose your password"),
		browser.Until(`document.querySelector('nav[aria-label="Places"] a') === null`),
	)
	b.axeInBoth("choosing one's password")
	b.do("a slip is named",
		browser.Type(`input[name="password"]`, firstPassword),
		browser.Type(`input[name="next"]`, another),
		browser.Type(`input[name="again"]`, another+"s"),
		click("Change it"),
		browser.Reads("The two are not the same."),
		fill("The new one once more", another),
		click("Change it"),
		browser.Seen(`nav[aria-label="Places"] a`),
	)
	b.do("and changed again on one's own page",
		browser.Person("Your sign-in"),
		click("Change your password…"),
		browser.Type(`input[name="password"]`, another),
		browser.Type(`input[name="next"]`, ownerPassword),
		browser.Type(`input[name="again"]`, ownerPassword),
		click("Change it"),
		browser.Reads("Your other sessions and your API tokens have ended."),
	)
	b.noErrors()
	_, err = s.client().SignIn(ctx, "dagny", ownerPassword)
	require.NoError(t, err)
}
