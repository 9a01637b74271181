package present

import (
	"fmt"
	"strings"

	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/unit"
)

// contested is given as the cause of a held unit beside the codes of problems.
const contested = resolve.Code(resolve.Contested)

// problems says of each problem what is wrong, and the way out.
var problems = map[resolve.Code][2]string{
	contested: {"assignments of equal rank require different values", "change the rank of one"},
	resolve.UndecidedScope: {
		"it is unknown whether this assignment applies, because a fact that a group's rule reads is not known of the " +
			"device",
		"wait until the device reports the fact, or write the rule with has(…)",
	},
	resolve.NoAdminPath: {
		"no member of the exact list of administrators can sign in",
		"add an enabled account with a rotation, or somebody of the directory",
	},
	resolve.NameClash: {"two accounts have the same desired name", "rename one of them"},
	resolve.MinAgeNotBelowMaxAge: {
		"the minimum age is not below the maximum age, so no password could ever be changed",
		"change one of them",
	},
	resolve.RotationTargetUndeclared: {
		"no policy declares the account whose password is to be rotated",
		"declare it, or remove the rotation",
	},
	resolve.RotationTargetAbsent: {
		"the account whose password is to be rotated is to be absent",
		"keep the account, or remove the rotation",
	},
	resolve.RotationOfKeptPassword: {
		"a policy says that the password of this account is kept, so it is never rotated",
		"take password: keep out of the policy, or remove the rotation",
	},
	resolve.RotationSecretTooShort: {
		"the password would be shorter than the device allows",
		"make the secret longer, or lower the minimum length",
	},
	resolve.RotationSecretTooPlain: {
		"the password would have too few classes of characters for the device",
		"add a class of characters, or turn complexity off",
	},
	resolve.RotationTargetDisabled: {
		"the account whose password is rotated is disabled, so nobody can use it",
		"enable it, or remove the rotation",
	},
	resolve.RotationSlowerThanMaxAge: {
		"the password expires before it is rotated",
		"rotate more often, or raise the maximum age",
	},
	resolve.AccountWithoutRotation: {"is an administrator whose password nobody knows", "add a rotation for it"},
	resolve.AccountOutsideGroup: {
		"is missing from the exact list of a local group that its own policy adds it to",
		"add it to the exact list, or remove it from local_groups",
	},
	resolve.NoBreakGlass: {
		"no member of the exact list of administrators works without a network",
		"add an account with a rotation",
	},
	resolve.LockoutCanSealDevice: {
		"wrong passwords could lock every administrator until someone unlocks, and nobody could",
		"let the lock end by itself, or add a member of the directory",
	},
	resolve.MemberUndeclared: {
		"is to be a member, but no policy declares it",
		"declare the account, or remove the member",
	},
	resolve.MemberOfAbsentAccount: {
		"was to be a member, but is to be absent",
		"keep the account, or remove the member",
	},
}

// Problem says what is wrong, and the way out after a semicolon.
func Problem(p resolve.Problem) string {
	say := problems[p.Code]
	subject := ""
	switch {
	case p.Code == resolve.UndecidedScope:
		subject = p.Unit + ": "
	case p.Detail != "":
		subject = p.Detail + " "
		if ref, err := principal.Parse(p.Detail); err == nil {
			subject = Principal(ref) + " "
		}
	case p.Code == resolve.NameClash:
		subject = strings.ReplaceAll(p.Unit, "+", " and ") + ": "
	}
	return fmt.Sprintf("%s%s; %s", subject, say[0], say[1])
}

// Held says why a unit is held, and the way to settle it.
func Held(h resolve.HeldUnit) string {
	say, known := problems[resolve.Code(h.Why)]
	if !known {
		return h.Why
	}
	return say[0] + "; " + say[1]
}

// Contested says that somebody keeps changing back on a device what guards the ways into it.
func Contested(device string, id unit.ID, signedIn []string) string {
	return UnitInFull(id) + " on " + device +
		" was corrected three times within a day: somebody or something changes it back. It is corrected at every " +
		"look; " + there(signedIn)
}

// RepeatedlyReverted says what it means that something keeps changing a unit back.
const RepeatedlyReverted = "repeatedly reverted; the device retries once an hour, and at every look " +
	"where it guards who gets in. Find out what changes it back"
