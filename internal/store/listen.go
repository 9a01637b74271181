package store

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/jackc/pgx/v5"

	"rankwarden.example/internal/kit/notices"
)

// Topics of notices between replicas.
const (
	TopicDevices    = "devices"    // IDs changed: state, key or desired state
	TopicReports    = "reports"    // IDs reported
	TopicSettle     = "settle"     // something waits to be settled
	TopicEdits      = "edits"      // policies, groups or assignments changed
	TopicKeys       = "keys"       // escrow keys or the key list changed
	TopicGroups     = "groups"     // IDs came into a group or left one
	TopicRollouts   = "rollouts"   // rollouts, by identifier, came further
	TopicDeliveries = "deliveries" // notifications wait to be delivered, or were
	// TopicContacts tells that IDs were heard from.
	TopicContacts = "contacts"
	// TopicDatabase tells that the database is another one, or went back: nothing that is remembered of it holds.
	TopicDatabase = "database"
	// TopicFence carries tokens of whoever waits until earlier notices were taken.
	TopicFence = "fence"
)

// Topics are all that a lost notice may have been of.
var Topics = []string{TopicDevices, TopicReports, TopicSettle, TopicEdits, TopicKeys, TopicGroups, TopicRollouts}

const (
	channel       = "rankwarden"
	idsPerMessage = 200 // a payload has at most 8000 bytes
	mostNamed     = 20_000
)

// Notify sends a notice when the transaction commits.
func (t ServiceWriter) Notify(n notices.Notice) error { return t.notify(n) }

// Tell sends a notice at once, of what is in no transaction.
func (s *Store) Tell(ctx context.Context, n notices.Notice) error {
	return conn{s.gorm[classOf(ctx)].WithContext(ctx)}.notify(n)
}

func (t conn) notify(n notices.Notice) error {
	for _, message := range messages(n) {
		if err := t.exec(notify, channel, message); err != nil {
			return err
		}
	}
	return nil
}

const notify = "select pg_notify($1, $2)"

// messages are the texts that a notice goes out as.
func messages(n notices.Notice) []string {
	ids := n.IDs
	if len(ids) > mostNamed && n.Topic != TopicDevices {
		ids = nil // any may have changed
	}
	list := []string{}
	for {
		part := ids[:min(len(ids), idsPerMessage)]
		ids = ids[len(part):]
		if list = append(list, toJSON(notices.Notice{Topic: n.Topic, IDs: part})); len(ids) == 0 {
			return list
		}
	}
}

// Listen hands every notice to receive until the context ends or the connection is lost. It calls
// ready once nothing can be missed any more.
func (s *Store) Listen(ctx context.Context, ready func(), receive func(notices.Notice)) error {
	conn, err := pgx.ConnectConfig(ctx, s.jobs.Config().ConnConfig.Copy())
	if err != nil {
		return fmt.Errorf("listening: %w", err)
	}
	defer conn.Close(context.WithoutCancel(ctx))
	if _, err := conn.Exec(ctx, "listen "+channel); err != nil {
		return fmt.Errorf("listening: %w", err)
	}
	ready()
	for {
		message, err := conn.WaitForNotification(ctx)
		if err != nil {
			return fmt.Errorf("listening: %w", err)
		}
		var n notices.Notice
		if json.Unmarshal([]byte(message.Payload), &n) == nil {
			receive(n)
		}
	}
}
