package deploy

import (
	"time"

	"rankwarden.example/internal/inforce"
	"rankwarden.example/internal/protocol"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/uow"
)

// Records is what this room needs of the records. [store.Tx] has it.
type Records interface {
	uow.Records
	inforce.Records

	Asked(digest string) (protocol.DesiredContent, error)
	DirectoryFor(refs, sids, guids []string) ([]store.DirectoryEntry, error)
	LiveDevices(groups, ids []string) ([]store.DeviceName, error)
	LockForSettling(ids []string) ([]store.SettledDevice, error)
	PutScope(s store.Scope) error
	PutSettings(digest, body string) error
	RequestSettleAgain(r store.SettleRequest) error
	SetSettled(list []store.SettlingResult, at time.Time) error
	SettleDone(ids []int64) error
	SettleFailed(ids []int64, why string, next time.Time) error
	SettleRequests() ([]store.SettleRequest, error)
}
