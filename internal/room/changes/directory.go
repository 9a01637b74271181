package changes

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/gate"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/directory"
)

// Sources of directory entries.
const (
	sourceImport     = "import"
	sourceConnection = "connection"
)

// DirectoryChange says what an import or a run of the connection did.
type DirectoryChange struct {
	Entries  int // people and groups that were read
	Added    int
	Changed  int
	Removed  int // that vanished; they keep their identifiers until they are let go
	Skipped  []directory.SkippedEntry
	altering int             // devices, when that waits for a decision
	touched  map[string]bool // ways in which policies may name those who are somebody else now
	losing   int             // entries in use that are lacking, when that waits for a decision
	alters   []Altered
}

// ImportDirectory takes people and groups from an LDIF file. With replace, what an earlier import
// brought and this one lacks has vanished; without accept it is refused when that are many in use.
func (s *Service) ImportDirectory(
	ctx context.Context, who rights.Identity, source []byte, replace, accept bool, asking Asking,
) (DirectoryChange, error) {
	entries, skipped, err := directory.ParseLDIF(source)
	if err != nil {
		return DirectoryChange{}, refusal.New(refusal.Invalid, "%v", err).WithCode("bad_ldif")
	}
	if len(entries) == 0 {
		return DirectoryChange{}, refusal.New(refusal.Invalid, "the file has no person or group that can be used: %s",
			reasons(skipped)).
			WithCode("empty_ldif")
	}
	var change DirectoryChange
	a := attempt{act: uow.ByOperator(operation.ImportDirectory, who, "directory"), asking: asking,
		source: gate.Arrival, what: []any{source, replace, accept}, everybody: true}
	a.make = func(tx Records, w *uow.Work) (err error) {
		if change, err = s.merge(tx, w, sourceImport, entries, replace, accept); err != nil {
			return err
		}
		w.After = map[string]any{
			"entries": change.Entries,
			"added":   change.Added,
			"changed": change.Changed,
			"removed": change.Removed,
			"skipped": len(skipped),
		}
		return nil
	}
	a.also = func(tx Records) (effect.AccessSet, error) { return s.othersMeant(tx, change) }
	err = s.passOrHold(ctx, &a, store.BrakeDirectory, func(Records) (asked, error) {
		request := askedImport{Source: string(source), Replace: replace, Accept: accept}
		return asked{Directory: &request, Alters: change.alters}, nil
	})
	change.Skipped = skipped
	return change, err
}

func reasons(skipped []directory.SkippedEntry) string {
	if len(skipped) == 0 {
		return "none of its entries is a person or a group"
	}
	return fmt.Sprintf("%s: %s", skipped[0].DN, skipped[0].Why)
}

// SyncDirectory reads the directory over the connection once and takes what changed. A reading that lacks
// many entries in use waits for a decision, unless it is accepted. Only one replica does at a time.
func (s *Service) SyncDirectory(ctx context.Context, accept bool) (DirectoryChange, error) {
	var change DirectoryChange
	if s.DirectoryConnection == nil {
		return change, refusal.New(
			refusal.Conflict,
			"no connection to a directory is set; start the service with --directory-url",
		)
	}
	mine, err := s.Locks.Exclusively(ctx, store.LockDirectory, func(ctx context.Context) error {
		run := store.DirectorySync{StartedAt: s.Now()}
		if err := s.noteRun(ctx, run); err != nil {
			return err
		}
		entries, skipped, err := s.DirectoryConnection.Fetch(ctx)
		if err == nil && len(entries) == 0 {
			err = errors.New("the directory gave no person or group; nothing was changed")
		}
		if err == nil {
			err = s.atTheDoor(ctx, uow.ByService("directory.kept_in_step", "directory"),
				func(tx Records, w *uow.Work) error {
					if change, err = s.merge(tx, w, sourceConnection, entries, true, accept); err != nil {
						return err
					}
					if err := s.mayAlter(tx, w, accept, &change); err != nil {
						return err
					}
					if change.Added+change.Changed+change.Removed == 0 {
						w.Quiet()
					}
					w.After = map[string]any{
						"entries": change.Entries,
						"added":   change.Added,
						"changed": change.Changed,
						"removed": change.Removed,
					}
					return nil
				})
		}
		change.Skipped = skipped
		run.Losing, run.Altering = change.losing, change.altering
		ended := s.Now()
		run.EndedAt, run.Entries, run.Added, run.Changed, run.Removed = &ended, change.Entries, change.Added,
			change.Changed, change.Removed
		if err != nil {
			run.Error = err.Error()
		}
		return errors.Join(err, s.noteRun(context.WithoutCancel(ctx), run))
	})
	if err == nil && !mine {
		return change, errReadElsewhere
	}
	if errors.Is(err, directory.ErrConnection) {
		return change, refusal.New(refusal.Conflict, "%v", err).WithCode("directory_unreachable")
	}
	return change, err
}

// noteRun stores how a run of the connection goes.
func (s *Service) noteRun(ctx context.Context, run store.DirectorySync) error {
	return s.Do(ctx, uow.Upkeep(), func(tx Records, _ *uow.Work) error { return tx.SetDirectorySync(run) })
}

var errReadElsewhere = refusal.New(
	refusal.Conflict,
	"the directory is being read by another replica just now; wait until it is done",
)

// KeepDirectory reads the directory over the connection, unless another replica is at it.
func (s *Service) KeepDirectory(ctx context.Context) error {
	change, err := s.SyncDirectory(ctx, false)
	if errors.Is(err, errReadElsewhere) {
		return nil
	}
	if err == nil {
		s.Log.Info(
			"directory read",
			"entries",
			change.Entries,
			"added",
			change.Added,
			"changed",
			change.Changed,
			"removed",
			change.Removed,
			"skipped",
			len(change.Skipped),
		)
	}
	return err
}

// vanishedAfter is how long somebody who vanished from the directory keeps the identifier.
const vanishedAfter = 30 * 24 * time.Hour

// LetGo removes people and groups that vanished from the directory: one by name, at once; or without a name
// all that vanished long ago. Policies that name them have nobody there then.
func (s *Service) LetGo(ctx context.Context, who rights.Identity, ref string) error {
	return s.atTheDoor(
		ctx,
		uow.ByOperator(operation.DeleteDirectoryEntry, who, "directory"),
		func(tx Records, w *uow.Work) error {
			before := s.Now().Add(-vanishedAfter)
			if ref != "" {
				before = s.Now().Add(time.Hour)
			}
			gone, err := tx.GoneBefore(before)
			if err != nil {
				return err
			}
			touched, refs := map[string]bool{}, []string{}
			for _, e := range gone {
				if ref == "" || e.Ref == ref {
					touch(touched, e)
					refs = append(refs, e.Ref)
				}
			}
			if len(refs) == 0 {
				if ref == "" {
					w.Quiet()
					return nil
				}
				return refusal.New(
					refusal.NotFound,
					"%q has not vanished from the directory; only who has can be let go",
					ref,
				)
			}
			if err := tx.RemoveDirectory(refs); err != nil {
				return err
			}
			if err := s.directoryTouched(tx, w, touched); err != nil {
				return err
			}
			w.After = map[string]any{"entries": refs}
			return nil
		},
	)
}

// Letters gives the people and groups that policies in force name, with their names as the directory writes them.
func (s *Service) Letters(ctx context.Context) ([]store.DirectoryEntry, error) {
	tx := s.Read(ctx)
	used, err := s.principalsInForce(tx)
	if err != nil {
		return nil, err
	}
	return tx.DirectoryNames(slices.Collect(maps.Keys(used)))
}
