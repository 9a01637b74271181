package fleet

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// randomRule writes a rule of those that are worked out directly, so deep at most.
func randomRule(r *rand.Rand, deep int) string {
	pick := func(of ...string) string { return of[r.IntN(len(of))] }
	text := func() string { return fmt.Sprintf("%q", pick("", "a", "ab", "b", "ä", "a/b")) }
	field := "device." + pick("name", "platform", "os_version", "model", "serial", "path", "primary_user")
	if deep > 0 {
		switch r.IntN(4) {
		case 0:
			return "(" + randomRule(r, deep-1) + " && " + randomRule(r, deep-1) + ")"
		case 1:
			return "(" + randomRule(r, deep-1) + " || " + randomRule(r, deep-1) + ")"
		case 2:
			return "!(" + randomRule(r, deep-1) + ")"
		}
	}
	order := pick("==", "!=", "<", "<=", ">", ">=")
	switch r.IntN(9) {
	case 0:
		return field + " " + order + " " + text()
	case 1:
		return text() + " " + order + " " + field
	case 2:
		return field + pick(".startsWith(", ".endsWith(", ".contains(") + text() + ")"
	case 3:
		return "device.os_build " + order + " " + pick("0", "1", "-9223372036854775808", "9223372036854775807")
	case 4:
		return pick("0", "1", "2") + " " + order + " device.os_build"
	case 5:
		return text() + " in device." + pick("tags", "user_groups")
	case 6:
		return field + " in [" + text() + ", " + text() + "]"
	case 7:
		return "has(" + pick(field, "device.os_build") + ")"
	}
	return pick("true", "false")
}

func randomFacts(r *rand.Rand) Facts {
	text := func() string { return []string{"", "a", "ab", "b", "ä", "a/b", "ba"}[r.IntN(7)] }
	return Facts{Name: text(), Platform: text(), OSVersion: text(), OSBuild: r.IntN(4) - 1, Model: text(),
		Serial: text(), Path: text(), Tags: []string{text(), text()}, PrimaryUser: text(), UserGroups: []string{text()}}
}

// What is worked out directly is what the language says, of every rule and every device.
func TestDirectRulesSayWhatTheLanguageSays(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 9))
	for range 2000 {
		source := randomRule(r, 3)
		rule, err := ParseRule(source)
		require.NoError(t, err, source)
		require.NotNil(t, rule.direct, source)
		for range 20 {
			facts := randomFacts(r)
			require.Equal(t, rule.holds(&factObject{&facts}), rule.direct(&facts), "%s of %+v", source, facts)
		}
	}
}

// Whatever else a rule says is left to the language.
func TestWhatOnlyTheLanguageWorksOut(t *testing.T) {
	for _, source := range []string{
		`device.tags.exists(t, t.matches("^sp"))`, `device.os_build / 2 > 1`, `size(device.tags) == 2`,
		`has(device.model) ? device.model == "x" : true`, `device.name == device.serial`, `device.os_build in [1, 2]`,
		`device.name.matches("a")`, `device == device`, `device.name in device.tags`,
		`device.tags == ["a"]`, `device.name.startsWith(device.path)`, `"abc".startsWith(device.name)`,
	} {
		rule, err := ParseRule(source)
		require.NoError(t, err, source)
		assert.Nil(t, rule.direct, source)
	}
}

// A block of devices gets what each of them gets, at the ends of words and blocks too.
func TestBlocksOfDevices(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 3))
	rule, err := ParseRule(`device.model == "a" || "b" in device.tags`)
	require.NoError(t, err)
	for _, count := range []int{0, 1, 63, 64, 65, blockOf - 1, blockOf, blockOf + 1, 3*blockOf + 7} {
		facts := make([]Facts, count)
		for i := range facts {
			facts[i] = randomFacts(r)
		}
		members := MembersOf([]Group{{Name: "g", Rule: rule}}, facts)["g"]
		for d := range facts {
			require.Equal(t, rule.Holds(&facts[d]), members.Of(d), "device %d of %d", d, count)
		}
	}
}
