package access

import (
	"time"

	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/devicegroups"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// Reads is what this room reads of the records. [store.Reader] has it.
type Reads interface {
	devicegroups.Names

	LearnsUsers() (bool, error)
	RuledGroups() ([]store.RuleGroup, error)
	Passkeys(operator string) ([]store.Passkey, error)
	DeviceGrantByUserCode(code string, now time.Time) (store.DeviceGrant, error)
	OperatorByIdentity(issuer, subject string) (store.Operator, error)
	CountOperators() (int64, error)
	CountRecoveryCodes(operator string) (int, error)
	SecondFactor(operator string) (store.SecondFactor, error)
	KnowsAddress(operator, address string) (bool, error)
	ListAPITokens(operator string, p store.Page) ([]store.APIToken, string, error)
	Device(clock store.Clock, idOrName, folded string) (store.Device, error)
	ListOperators(p store.Page) ([]store.Operator, string, error)
	OutOfReach(reach rights.Reach, devices []string) (string, error)
	LiveAPIToken(hash []byte, now time.Time) (store.APIToken, error)
	Operator(id string) (store.Operator, error)
	OperatorByName(name string) (store.Operator, error)
	OwnersLeft() (int, error)
	SessionOperator(hash []byte, now time.Time) (store.Operator, store.Session, error)
}

// Records is what it reads and writes of them in a unit of work. [store.Writer] has it.
type Records interface {
	Reads
	uow.Records

	AddCeremony(c store.PasskeyCeremony, before time.Time) (underWay int, err error)
	AddPasskey(p store.Passkey) error
	DropPasskey(operator string, id []byte) error
	DropPasskeys(operator string) error
	PasskeyUsed(p store.Passkey) error
	TakeCeremony(hash []byte) (store.PasskeyCeremony, error)
	AddAPIToken(a store.APIToken) error
	AddDeviceGrant(g store.DeviceGrant) (waiting int, err error)
	AddOperator(o store.Operator) error
	DropDeviceGrant(hash []byte) error
	LockDeviceGrant(hash []byte) (store.DeviceGrant, error)
	SetDeviceGrant(g store.DeviceGrant) error
	AddProviderAttempt(a store.ProviderAttempt, before time.Time) (underWay int, err error)
	AddSession(s store.Session) error
	Confirm(operator string, at time.Time) error
	SetProviderReach(groups []string) error
	TakeProviderAttempt(state []byte) (store.ProviderAttempt, error)
	SetTour(operator, at string) error
	DropSecondFactor(operator string) error
	LockSecondFactor(operator string) (store.SecondFactor, error)
	OpenSealed(operator string, at time.Time) error
	Seal(operator string, at time.Time) error
	SetRecoveryCodes(operator string, hashes [][]byte) error
	SetSecondFactor(f store.SecondFactor) error
	StrengthenSession(operator string, hash []byte) error
	UseRecoveryCode(operator string, hash []byte) (bool, error)
	EndSession(hash []byte) error
	LockOperator(id string) (store.Operator, error)
	LockSignInFailures(at time.Time, subjects ...string) ([]store.SignInFailure, error)
	RefreshSession(hash []byte, at time.Time) error
	RefreshToken(id string, at time.Time) error
	RememberAddress(operator, address string, at time.Time) error
	RevokeAPIToken(operator, id string, at time.Time) error
	SetOperator(o store.Operator, at time.Time) error
	SetOwnPassword(o store.Operator, session []byte, at time.Time) error
	SetSignInFailure(f store.SignInFailure) error
}
