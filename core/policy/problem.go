package policy

import (
	"cmp"
	"fmt"
	"slices"
)

// Severity of a problem: an error keeps a document from being published, a warning does not.
type Severity string

// The severities.
const (
	Error   Severity = "error"
	Warning Severity = "warning"
)

// Problem is one thing wrong with a document: where it is, what it is, and the way out.
// Line and Column count from 1; Path is that of the key, such as membership[0].members[2].
type Problem struct {
	Path     string   `json:"path" doc:"Path of the key, such as membership[0].members[2]; empty for the whole document"`
	Line     int      `json:"line" doc:"Line, from 1"`
	Column   int      `json:"column" doc:"Column, from 1"`
	Severity Severity `json:"severity" enum:"error,warning"`
	Code     string   `json:"code" doc:"Short stable name of the check"`
	Message  string   `json:"message" doc:"What is wrong and the way out"`
}

func (p Problem) String() string {
	at := ""
	if p.Path != "" {
		at = p.Path + ": "
	}
	return fmt.Sprintf("%d:%d: %s: %s%s [%s]", p.Line, p.Column, p.Severity, at, p.Message, p.Code)
}

// Usable reports whether problems hold no error, so that the document can be published.
func Usable(problems []Problem) bool {
	return !slices.ContainsFunc(problems, func(p Problem) bool { return p.Severity == Error })
}

// Codes of the checks.
const (
	CodeSyntax          = "bad_syntax"
	CodeTooLarge        = "too_large"
	CodeFormat          = "unknown_format"
	CodeUnknownKey      = "unknown_key"
	CodeSecret          = "secret_in_document"
	CodeDuplicate       = "duplicate"
	CodeType            = "wrong_type"
	CodeBounds          = "out_of_bounds"
	CodeChoice          = "unknown_choice"
	CodeMissing         = "missing"
	CodeName            = "bad_name"
	CodeCharacter       = "bad_character"
	CodeEmpty           = "empty_policy"
	CodeLocalGroup      = "unknown_local_group"
	CodePrincipal       = "bad_principal"
	CodeWindow          = "window_exceeds_duration"
	CodeNeverLocks      = "lockout_off_with_times"
	CodePlatform        = "beyond_a_platform"
	CodeSealing         = "lockout_can_seal_device"
	CodeMinutes         = "read_as_minutes"
	CodeAges            = "min_age_not_below_max_age"
	CodeMemberRemoved   = "member_also_removed"
	CodeRemoveExact     = "remove_with_exact"
	CodeNothingToAdjust = "nothing_to_adjust"
	CodeKeepBuiltin     = "builtin_administrator_removed"
	CodeAbsentMember    = "absent_account_is_member"
	CodeUndeclared      = "undeclared_account"
	CodeEmptyExact      = "empty_exact"
	CodeUnknownName     = "unknown_to_directory"
	CodeTarget          = "bad_target"
	CodeTooWeak         = "secret_too_weak"
	CodeSecretRules     = "secret_breaks_password_rules"
	CodeSlowRotation    = "rotation_slower_than_max_age"
	CodeRotateAbsent    = "rotation_of_absent_account"
	CodeRotateDisabled  = "rotation_of_disabled_account"
	CodeRotateHarmless  = "rotation_of_unprivileged_account"
	CodeNoDigits        = "redraw_without_digits"
	CodeRotateKept      = "rotation_of_kept_password"
	CodeChangeUnknown   = "change_of_unknown_password"
	CodeChangeFixed     = "change_of_fixed_password"
	CodeForStyle        = "not_for_this_style"
)

func sortProblems(problems []Problem) {
	slices.SortStableFunc(problems, func(a, b Problem) int {
		return cmp.Or(cmp.Compare(a.Line, b.Line), cmp.Compare(a.Column, b.Column), cmp.Compare(a.Code, b.Code))
	})
}
