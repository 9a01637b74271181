package policy_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/unit"
)

// The checks of accounts, rotation and built-in accounts, and those that need several sections.
func TestChecksOfTheWhole(t *testing.T) {
	const keeper = "accounts: [{key: keeper, name: keeper-##, local_groups: [administrators]}]\n"
	for name, c := range map[string]struct{ body, want, says string }{
		"name too long": {"accounts: [{key: k, name: keeper-of-the-quay-##}]",
			"error bad_name accounts[0].name", "at most 20"},
		"forbidden character": {"accounts: [{key: k, name: 'a/b'}]", "error bad_name accounts[0].name", `"/"`},
		"only digits": {"accounts: [{key: k, name: '12 ##'}]", "error bad_name accounts[0].name",
			"add a letter"},
		"mixed scripts": {"accounts: [{key: k, name: \"k\u0435eper\"}]", "error bad_name accounts[0].name",
			"U+0435"},
		"one script":          {"accounts: [{key: k, name: \"ключ-##\"}]", "", ""},
		"scripts of a family": {"accounts: [{key: k, name: \"港の鍵\"}]", "", ""},
		"key twice": {"accounts: [{key: k, name: a}, {key: k, name: b}]", "error duplicate accounts[1].key",
			"line 3"},
		"bad key": {"accounts: [{key: K!, name: a}]", "error bad_name accounts[0].key", "a-z"},
		"no name": {"accounts: [{key: k}]", "error missing accounts[0].name", "add it"},
		"unknown local group": {"accounts: [{key: k, name: a, local_groups: [administrator]}]",
			"error unknown_local_group accounts[0].local_groups[0]", "did you mean administrators?"},
		"formerly twice": {"accounts: [{key: k, name: a, formerly: [b, B]}]",
			"warning duplicate accounts[0].formerly[1]", "keep one"},
		"names alike": {"accounts: [{key: k, name: Quay}]\nbuiltins: {guest: {name: quay}}",
			"error duplicate accounts[0].name", "line 4"},
		"digits in a built-in": {"builtins: {guest: {name: 'quay-##'}}", "error bad_name builtins.guest.name",
			"without #"},
		"empty built-in": {"builtins: {guest: {}}", "error empty_policy ", "asks for nothing"},
		"bad target": {"rotation: [{target: builtin:guest}]", "error bad_target rotation[0].target",
			"builtin:administrator"},
		"target twice": {keeper + "rotation: [{target: account:keeper}, {target: account:KEEPER}]",
			"error duplicate rotation[1].target", "into one"},
		"every too short": {keeper + "rotation: [{target: account:keeper, every: 59m}]",
			"error out_of_bounds rotation[0].every", "from 1h to 400d, such as 1h"},
		"every too long": {keeper + "rotation: [{target: account:keeper, every: 401d}]",
			"error out_of_bounds rotation[0].every", ""},
		"a blank in a name": {"accounts: [{key: k, name: harbour desk}]", "warning beyond_a_platform accounts[0].name",
			"devices with Linux refuse this name"},
		"a lockout for good": {"lockout: {threshold: 2, duration: 0m}",
			"warning lockout_can_seal_device lockout.threshold", "anybody can type them"},
		"the key of all others": {"accounts: [{key: others, name: quay}]", "error bad_name accounts[0].key",
			"other_accounts"},
		"others": {"other_accounts: {state: disabled, grace: 14d, allow: [counter, 'svc-*', 'id:30000-39999']}", "",
			""},
		"others without a state": {"other_accounts: {grace: 14d}", "error missing other_accounts.state", "add it"},
		"others are never deleted": {"other_accounts: {state: absent}",
			"error unknown_choice other_accounts.state", "disabled"},
		"a grace of hours": {"other_accounts: {state: disabled, grace: 23h}",
			"error out_of_bounds other_accounts.grace", "from 1d to 90d"},
		"a range that is none": {"other_accounts: {state: disabled, allow: ['id:9-3']}",
			"error bad_name other_accounts.allow[0]", "lower number first"},
		"everybody allowed": {"other_accounts: {state: disabled, allow: ['*']}",
			"error bad_name other_accounts.allow[0]", "would leave every account alone"},
		"allowed twice": {"other_accounts: {state: disabled, allow: [svc-tide, SVC-Tide]}",
			"warning duplicate other_accounts.allow[1]", "keep one"},
		"a day that is none": {"accounts: [{key: k, name: a, expires_on: 2027-02-30}]",
			"error wrong_type accounts[0].expires_on", "write one as 2027-03-31"},
		"a day": {"accounts: [{key: k, name: a, expires_on: 2027-03-31, password_fixed: true}]", "", ""},
		"a change of what nobody knows": {"accounts: [{key: k, name: a, change_at_next_sign_in: true}]",
			"error change_of_unknown_password accounts[0].change_at_next_sign_in", "password: keep"},
		"a change that cannot be": {
			"accounts: [{key: k, name: a, change_at_next_sign_in: true, password: keep, password_fixed: true}]",
			"error change_of_fixed_password accounts[0].change_at_next_sign_in", "take one of the two out"},
		"two groups in one": {
			"membership: [{local_groups: [users, guests], mode: adjust, members: ['local:counter']}]", "", ""},
		"a group and several": {
			"membership: [{local_group: users, local_groups: [guests], mode: adjust, members: ['local:counter']}]",
			"error duplicate membership[0].local_groups", "take one of the two out"},
		"no group": {"membership: [{mode: adjust, members: ['local:counter']}]",
			"error missing membership[0].local_group", "local_groups"},
		"a group of two statements": {
			"membership: [{local_groups: [users, guests], mode: adjust, members: ['local:counter']}, " +
				"{local_group: guests, mode: adjust, members: ['local:counter']}]",
			"error duplicate membership[1].local_group", "already says who is in guests"},
		"a group that is created": {
			"membership: [{local_group: Harbour crew, custom: true, create: true, mode: adjust}]",
			"warning beyond_a_platform membership[0].local_group", "devices with Linux refuse"},
		"a known group that is created": {
			"membership: [{local_group: users, create: true, mode: adjust}]",
			"error unknown_local_group membership[0].local_group", "take \"create\" out"},
		"a group with the name of an account": {
			"membership: [{local_group: root, custom: true, create: true, mode: adjust}]",
			"error bad_name membership[0].local_group", "choose another name"},
		"what stands between words": {keeper +
			"rotation: [{target: account:keeper, secret: {style: words, separator: .}}]", "", ""},
		"a letter between words": {keeper +
			"rotation: [{target: account:keeper, secret: {style: words, separator: x}}]",
			"error unknown_choice rotation[0].secret.separator", "+"},
		"characters with a separator": {keeper + "rotation: [{target: account:keeper, secret: {separator: .}}]",
			"error not_for_this_style rotation[0].secret.separator", ""},
		"words with a length": {keeper + "rotation: [{target: account:keeper, secret: {style: words, length: 20}}]",
			"error not_for_this_style rotation[0].secret.length", "other style"},
		"characters with words": {keeper + "rotation: [{target: account:keeper, secret: {words: 6}}]",
			"error not_for_this_style rotation[0].secret.words", ""},
		"no class": {keeper + "rotation: [{target: account:keeper, secret: {use: []}}]",
			"error missing rotation[0].secret.use", "lower, upper, digits, symbols"},
		"too weak": {keeper + "rotation: [{target: account:keeper, secret: {length: 12, use: [digits]}}]",
			"error secret_too_weak rotation[0].secret", "at least 64"},
		"shorter than allowed": {keeper + "rotation: [{target: account:keeper}]\npasswords: {min_length: 25}",
			"error secret_breaks_password_rules rotation[0].secret", "min_length is 25"},
		"words are short": {keeper + "rotation: [{target: account:keeper, secret: {style: words}}]\npasswords: " +
			"{min_length: 24}", "error secret_breaks_password_rules rotation[0].secret", "as short as 19"},
		"words are long " +
			"enough": {keeper + "rotation: [{target: account:keeper, secret: {style: words}}]\npasswords: " +
			"{min_length: 19, complexity: true}", "warning beyond_a_platform passwords.min_length", "enforce 14"},
		"too plain": {keeper + "rotation: [{target: account:keeper, secret: {use: [lower, upper]}}]\npasswords: " +
			"{complexity: true}", "error secret_breaks_password_rules rotation[0].secret",
			"add one"},
		"slower than max age": {keeper + "rotation: [{target: account:keeper}]\npasswords: {max_age_days: 29}",
			"error rotation_slower_than_max_age rotation[0].every", "at most 29d"},
		"rotates the absent": {"accounts: [{key: k, name: a, state: absent}]\nrotation: [{target: account:k}]",
			"error rotation_of_absent_account rotation[0].target", ""},
		"rotates what is kept": {"accounts: [{key: k, name: a, password: keep}]\nrotation: [{target: account:k}]",
			"error rotation_of_kept_password rotation[0].target", "take one of the two out"},
		"a password": {"accounts: [{key: k, name: a, password: quay7}]",
			"error secret_in_document accounts[0].password", "write keep"},
		"a password that is kept": {"accounts: [{key: k, name: a, password: keep, take_over: true}]", "", ""},
		"keys that stay":          {"accounts: [{key: k, name: a, state: disabled, ssh_keys: keep}]", "", ""},
		"keys that do not": {"accounts: [{key: k, name: a, state: disabled, ssh_keys: away}]",
			"error unknown_choice accounts[0].ssh_keys", `"away" is not known here`},
		"strict sudoers": {"membership: [{local_group: administrators, mode: adjust, sudoers: strict, remove: " +
			"[\"local:eilif\"]}]", "", ""},
		"sudoers of others": {"membership: [{local_group: users, mode: adjust, sudoers: strict, remove: " +
			"[\"local:eilif\"]}]", "error unknown_local_group membership[0].local_group", "sudoers make " +
			"administrators"},
		"what sudoers": {"membership: [{local_group: administrators, mode: adjust, sudoers: report, remove: " +
			"[\"local:eilif\"]}]", "error unknown_choice membership[0].sudoers", "write strict"},
		"rotates the disabled": {"accounts: [{key: k, name: a, state: disabled}]\nrotation: [{target: account:k}]",
			"warning rotation_of_disabled_account rotation[0].target", ""},
		"rotates the " +
			"harmless": {"accounts: [{key: k, name: a, local_groups: [users]}]\nrotation: [{target: account:k}]",
			"warning rotation_of_unprivileged_account rotation[0].target", "missing from its local_groups"},
		"member makes it " +
			"count": {"accounts: [{key: k, name: a}]\nrotation: [{target: account:k}]\nmembership: [{local_group: " +
			"administrators, mode: adjust, members: [account:k]}]", "", ""},
		"disabled built-in": {"rotation: [{target: builtin:administrator}]\nbuiltins: {administrator: {enabled: " +
			"false}}", "warning rotation_of_disabled_account rotation[0].target", ""},
		"nothing to redraw": {"accounts: [{key: k, name: a, local_groups: [administrators]}]\nrotation: [{target: " +
			"account:k, redraw_name: true}]", "error redraw_without_digits rotation[0].redraw_name",
			"with #"},
		"undeclared target": {keeper + "rotation: [{target: account:keper}]",
			"warning undeclared_account rotation[0].target", "did you mean account:keeper?"},
		"undeclared member": {"membership: [{local_group: users, mode: adjust, members: [account:spare]}]",
			"warning undeclared_account membership[0].members[0]", "another policy"},
		"absent member": {"accounts: [{key: k, name: a, state: absent}]\nmembership: [{local_group: users, mode: " +
			"exact, members: [account:k]}]", "error absent_account_is_member membership[0].members[0]", ""},
		"in by its account": {keeper + "membership: [{local_group: administrators, mode: adjust, remove: " +
			"[account:keeper]}]", "error member_also_removed membership[0].remove[0]", "local_groups"},
		"unknown name": {"membership: [{local_group: users, mode: exact, members: " +
			"['user:asta.hol@skerryline.example']}]", "warning unknown_to_directory membership[0].members[0]",
			"did you mean user:asta.holm@skerryline.example?"},
		"unknown object": {"membership: [{local_group: users, mode: exact, members: " +
			"['guid:7f2c11f0-9d1e-4b5e-8a55-0f3f2a6f9b22']}]", "error unknown_to_directory membership[0].members[0]",
			"write the name"},
		"known object": {"membership: [{local_group: users, mode: exact, members: " +
			"['guid:7f2c11f0-9d1e-4b5e-8a55-0f3f2a6f9b21', sid:S-1-5-21-9-9-9-1]}]", "", ""},
	} {
		t.Run(name, func(t *testing.T) {
			doc, problems := policy.Parse([]byte(head+c.body), people)
			if c.want == "" {
				require.Empty(t, problems)
				require.NotNil(t, doc)
				return
			}
			require.NotEmpty(t, problems)
			p := problems[0]
			assert.Equal(t, c.want, fmt.Sprintf("%s %s %s", p.Severity, p.Code, p.Path), "%v", problems)
			assert.Contains(t, p.Message, c.says)
			assert.Positive(t, p.Line)
		})
	}
}

var people = principal.NewTable([]principal.Entry{
	{
		Ref:  principal.MustParse("user:asta.holm@skerryline.example"),
		SID:  principal.MustSID("S-1-5-21-9-9-9-1"),
		GUID: principal.MustParse("guid:7f2c11f0-9d1e-4b5e-8a55-0f3f2a6f9b21").GUID(),
	},
})

func TestNormalForm(t *testing.T) {
	doc, problems := policy.Parse([]byte(head+`
accounts:
  - {key: z, name: zed, local_groups: [users, Administrators], formerly: [b, a]}
  - {key: gone, name: old, state: absent, local_groups: [guests]}
rotation:
  - {target: builtin:administrator, every: 2h, secret: {style: words, words: 7}, after_reveal: 1d}
  - {target: account:z, secret: {use: [upper, lower, digits]}}
membership:
  - {local_group: administrators, mode: exact, members: ["sid:S-1-5-21-9-9-9-1", "guid:7F2C11F0-9D1E-4B5E-8A55-0F3F2A6F9B21"]}
`), people)
	require.True(t, policy.Usable(problems), "%v", problems)
	n := doc.Normalise(people)
	assert.Equal(t, unit.Absent, asked(n, unit.AccountOf("gone")).(unit.AccountValue).State)
	assert.Equal(
		t,
		[]string{"b", "a"},
		asked(n, unit.AccountOf("z")).(unit.AccountValue).Formerly,
		"formerly keeps its order",
	)
	asta, z := principal.MustParse("user:asta.holm@skerryline.example"), principal.FromKey("z")
	assert.Equal(
		t,
		unit.Statement{
			Mode:    unit.Exact,
			Members: []principal.Ref{z, principal.Administrator, asta},
			Remove:  []principal.Ref{},
		},
		asked(n, unit.Administrators),
	)
	assert.Equal(
		t,
		unit.Statement{Mode: unit.Adjust, Members: []principal.Ref{z}, Remove: []principal.Ref{}},
		asked(n, unit.MembershipOf("users")),
	)
	assert.Nil(t, asked(n, unit.MembershipOf("guests")), "an absent account is in no group")
	day := 24 * 60
	assert.Equal(t, unit.RotationValue{
		Target: principal.Administrator, EveryMinutes: 120, Secret: unit.Secret{Style: unit.Words, Words: 7},
		AfterUse: unit.AfterUse{WaitMinutes: 240, Then: unit.EndSessions}, AfterRevealMinutes: &day, Keep: 5,
	}, asked(n, unit.RotationOf(principal.Administrator)))
	other := asked(n, unit.RotationOf(z)).(unit.RotationValue)
	assert.Equal(
		t,
		unit.Secret{
			Style:           unit.Characters,
			Length:          24,
			Use:             []string{"digits", "lower", "upper"},
			AvoidLookalikes: true,
		},
		other.Secret,
	)
	assert.Equal(t, 30*day, other.EveryMinutes)
}

// Tidying loses no comment, not even that of a key which says what holds anyway.
func TestTidyingLosesNoComment(t *testing.T) {
	source := []byte(`format: rankwarden.policy/1 # c1
name: desks
accounts: # c2
  # c3
  - key: keeper # c4
    name: keeper
    # c5
    state: enabled # c6
    local_groups: [administrators] # c7
rotation:
  - target: account:keeper
    secret: {style: characters} # c8
    # c9
    after_use: {wait: 4h, then: end-sessions} # c10
    keep: 5 # c11
lockout:
  threshold: 5
# c12
`)
	doc, problems := policy.Parse(source, nil)
	require.Empty(t, problems)
	tidy := policy.Write(doc, source)
	for i := 1; i <= 12; i++ {
		assert.Equal(t, 1, strings.Count(string(tidy)+"\n", fmt.Sprintf("# c%d\n", i)), "# c%d in\n%s", i, tidy)
	}
	again, problems := policy.Parse(tidy, nil)
	require.Empty(t, problems)
	assert.Equal(t, doc, again)
	assert.Equal(t, string(tidy), string(policy.Write(again, tidy)))
}

func TestWriteKeepsComments(t *testing.T) {
	source := []byte(`# Who looks after the desks.
format: rankwarden.policy/1
name: desks
# Nobody may guess for long.
lockout: {threshold: 5} # agreed in March
accounts:
  - key: keeper # not the mate's
    # the digits differ on every desk
    name: keeper-##
  # to go in spring
  - {key: old, name: old-hand, state: absent}
membership:
  - local_group: administrators
    mode: adjust
    members: # by approval
      - account:keeper # the way in
      - group:Desk Support@skerryline.example
`)
	doc, problems := policy.Parse(source, nil)
	require.Empty(t, problems)
	doc.Lockout.Threshold = 9
	doc.Membership[0].Members = append([]principal.Ref{principal.MustParse("local:mate")}, doc.Membership[0].Members...)
	written := string(policy.Write(doc, source))
	for _, line := range []string{
		"# Who looks after the desks.\nformat:", "# not the mate's", "# by approval",
		"# Nobody may guess for long.\n# agreed in March\nlockout:\n  threshold: 9",
		"    # the digits differ on every desk\n    name: keeper-##",
		"  # to go in spring\n  - key: old\n    name: old-hand\n    state: absent",
		"      - local:mate\n      - account:keeper # the way in\n",
	} {
		assert.Contains(t, written, line)
	}
	assert.Less(
		t,
		strings.Index(written, "accounts:"),
		strings.Index(written, "lockout:"),
		"keys stand in the order of the format",
	)
	again, problems := policy.Parse([]byte(written), nil)
	require.Empty(t, problems)
	assert.Equal(t, doc, again)
	assert.Equal(t, written, string(policy.Write(again, []byte(written))), "what is in canonical form stays as it is")
}
