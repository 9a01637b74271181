package windows_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What somebody who is locked out should do stands before signing in, unless another notice does.
func TestHelpBeforeSigningIn(t *testing.T) {
	m := open(t)
	notice := func() string {
		title, text, err := m.system.SignInNotice()
		require.NoError(t, err)
		return title + ": " + text
	}
	require.NoError(t, m.ShowHelp(t.Context(), "Call the harbour desk."))
	assert.Equal(t, "If you cannot sign in: Call the harbour desk.", notice())
	require.NoError(t, m.ShowHelp(t.Context(), "Call 4711."))
	assert.Equal(t, "If you cannot sign in: Call 4711.", notice())
	require.NoError(t, m.ShowHelp(t.Context(), ""))
	assert.Equal(t, ": ", notice())

	require.NoError(t, m.system.SetSignInNotice("Private property", "Keep out."))
	require.ErrorContains(t, m.ShowHelp(t.Context(), "Call 4711."), "another notice")
	require.NoError(t, m.ShowHelp(t.Context(), ""))
	assert.Equal(t, "Private property: Keep out.", notice())
}
