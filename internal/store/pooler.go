package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
)

// ErrPooler is given where a pooler hands each transaction to another session of the database: notices would not
// arrive, and limits of sessions would not hold.
var ErrPooler = errors.New("between this service and PostgreSQL a pooler hands each transaction to another session, " +
	"so that notices do not arrive and limits do not hold; connect to PostgreSQL itself, or let the pooler keep a " +
	"session for as long as its client")

// CheckSessions refuses a pooler that changes sessions between transactions. It takes two connections at a time.
func (s *Store) CheckSessions(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	err := s.checkSessions(ctx)
	if errors.Is(err, context.DeadlineExceeded) { // a pooler with one session has nothing left for the second client
		return fmt.Errorf("%w (a second connection got no session while a first one was open)", ErrPooler)
	}
	return recognisePooler(err)
}

func (s *Store) checkSessions(ctx context.Context) error {
	first, err := s.keeping.Acquire(ctx)
	if err != nil {
		return err
	}
	defer first.Release()
	second, err := s.keeping.Acquire(ctx)
	if err != nil {
		return err
	}
	defer second.Release()
	var mine, other int
	const session = "select pg_backend_pid()"
	if err := first.QueryRow(ctx, session, pgx.QueryExecModeSimpleProtocol).Scan(&mine); err != nil {
		return err
	}
	tx, err := second.Begin(ctx) // it takes the session of the first, where that is free
	if err != nil {
		return err
	}
	defer func() { _ = tx.Rollback(context.WithoutCancel(ctx)) }()
	if err := tx.QueryRow(ctx, session, pgx.QueryExecModeSimpleProtocol).Scan(&other); err != nil {
		return err
	}
	var again int
	if err := first.QueryRow(ctx, session, pgx.QueryExecModeSimpleProtocol).Scan(&again); err != nil {
		return err
	}
	if mine == other || mine != again {
		return ErrPooler
	}
	return nil
}

// recognisePooler names a pooler by what only poolers answer.
func recognisePooler(err error) error {
	var pg *pgconn.PgError
	if !errors.As(err, &pg) {
		return err
	}
	// A statement that was prepared is there although it was not, or gone although it was.
	if strings.Contains(pg.Message, "unsupported startup parameter") || pg.Code == "42P05" || pg.Code == "26000" {
		return fmt.Errorf("%w (it answered: %s)", ErrPooler, pg.Message)
	}
	return err
}
