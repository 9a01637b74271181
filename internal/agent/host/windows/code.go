package windows

import "fmt"

// Code is an error code of Windows, as winerror.h and lmerr.h number them.
type Code uint32

// Codes that the calls of a [System] are documented to give, and that the host or its tests know.
const (
	AccessDenied         Code = 5    // ERROR_ACCESS_DENIED
	InvalidPassword      Code = 86   // ERROR_INVALID_PASSWORD
	InvalidParameter     Code = 87   // ERROR_INVALID_PARAMETER
	InvalidAccountName   Code = 1315 // ERROR_INVALID_ACCOUNT_NAME
	AliasUserExists      Code = 1316 // ERROR_USER_EXISTS
	PasswordRestriction  Code = 1325 // ERROR_PASSWORD_RESTRICTION
	LogonFailure         Code = 1326 // ERROR_LOGON_FAILURE
	AccountRestriction   Code = 1327 // ERROR_ACCOUNT_RESTRICTION
	InvalidLogonHours    Code = 1328 // ERROR_INVALID_LOGON_HOURS
	InvalidWorkstation   Code = 1329 // ERROR_INVALID_WORKSTATION
	PasswordExpired      Code = 1330 // ERROR_PASSWORD_EXPIRED
	AccountDisabled      Code = 1331 // ERROR_ACCOUNT_DISABLED
	NoneMapped           Code = 1332 // ERROR_NONE_MAPPED
	SpecialAccount       Code = 1371 // ERROR_SPECIAL_ACCOUNT
	MemberNotInAlias     Code = 1377 // ERROR_MEMBER_NOT_IN_ALIAS
	MemberInAlias        Code = 1378 // ERROR_MEMBER_IN_ALIAS
	AliasExists          Code = 1379 // ERROR_ALIAS_EXISTS
	LogonTypeNotGranted  Code = 1385 // ERROR_LOGON_TYPE_NOT_GRANTED
	NoSuchMember         Code = 1387 // ERROR_NO_SUCH_MEMBER
	InvalidMember        Code = 1388 // ERROR_INVALID_MEMBER
	AccountExpired       Code = 1793 // ERROR_ACCOUNT_EXPIRED
	PasswordMustChange   Code = 1907 // ERROR_PASSWORD_MUST_CHANGE
	AccountLockedOut     Code = 1909 // ERROR_ACCOUNT_LOCKED_OUT
	BadUsername          Code = 2202 // NERR_BadUsername
	GroupNotFound        Code = 2220 // NERR_GroupNotFound
	UserNotFound         Code = 2221 // NERR_UserNotFound
	GroupExists          Code = 2223 // NERR_GroupExists
	UserExists           Code = 2224 // NERR_UserExists
	NotPrimary           Code = 2226 // NERR_NotPrimary
	PasswordHistConflict Code = 2244 // NERR_PasswordHistConflict
	PasswordTooShort     Code = 2245 // NERR_PasswordTooShort
	PasswordTooRecent    Code = 2246 // NERR_PasswordTooRecent
	LastAdmin            Code = 2452 // NERR_LastAdmin
)

// said is each code in words, which continue a sentence that begins with "Windows says that".
var said = map[Code]string{
	AccessDenied:         "access is denied; run the agent as LocalSystem",
	InvalidPassword:      "the password is wrong",
	InvalidParameter:     "a value is not possible, or contradicts another one",
	InvalidAccountName:   "the name cannot be one of an account",
	AliasUserExists:      "an account has the name already",
	PasswordRestriction:  "the password does not meet the rules",
	LogonFailure:         "the name or the password is wrong",
	AccountRestriction:   "a rule keeps the account from signing in",
	InvalidLogonHours:    "the account may not sign in at this hour",
	InvalidWorkstation:   "the account may not sign in here",
	PasswordExpired:      "the password is too old",
	AccountDisabled:      "the account is disabled",
	NoneMapped:           "nobody is known by this name or identifier",
	SpecialAccount:       "built-in accounts cannot be treated so",
	MemberNotInAlias:     "it is no member",
	MemberInAlias:        "it is a member already",
	AliasExists:          "a local group has the name already",
	LogonTypeNotGranted:  "the account has no right to sign in in this way",
	NoSuchMember:         "the member does not exist",
	InvalidMember:        "one of its kind cannot be a member",
	AccountExpired:       "the time of the account is over",
	PasswordMustChange:   "the password must be changed first",
	AccountLockedOut:     "the account is locked",
	BadUsername:          "the name cannot be one of an account",
	GroupNotFound:        "the local group does not exist",
	UserNotFound:         "the account does not exist",
	GroupExists:          "a group has the name already",
	UserExists:           "an account has the name already",
	NotPrimary:           "this machine cannot change accounts",
	PasswordHistConflict: "the password was used before",
	PasswordTooShort:     "the password does not meet the rules for length, complexity or history",
	PasswordTooRecent:    "the password was changed too short a while ago",
	LastAdmin:            "this is the last administrator",
}

// Error says what a code means, with its number.
func (c Code) Error() string {
	if words, known := said[c]; known {
		return fmt.Sprintf("Windows says that %s (error %d)", words, uint32(c))
	}
	return fmt.Sprintf("Windows refused with error %d", uint32(c))
}
