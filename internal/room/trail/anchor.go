package trail

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"

	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
	"rankwarden.example/internal/wire/audit"
)

// Anchor makes a checkpoint on demand. There is none of the entry that says so; it is in the next one.
func (s *Service) Anchor(ctx context.Context, who rights.Identity) (made store.Checkpoint, err error) {
	act := uow.ByOperator(operation.MakeCheckpoint, who, "trail")
	err = s.Do(ctx, act, func(tx Records, w *uow.Work) error {
		made, err = s.anchor(tx, who.Name)
		w.After = map[string]any{"entry": made.Seq}
		return err
	})
	var broken *audit.Broken
	if errors.As(err, &broken) {
		err = refusal.New(
			refusal.Conflict,
			"%v; no checkpoint is made of it. Compare an export with the checkpoints that left the database",
			broken,
		)
	}
	return made, err
}

// AnchorHourly makes a checkpoint when there is something new. A trail that is not what it was is not anchored: that it
// was found so is on the trail.
func (s *Service) AnchorHourly(ctx context.Context) error {
	err := s.Do(ctx, uow.Upkeep(), func(tx Records, _ *uow.Work) error {
		_, err := s.anchor(tx, audit.Service)
		return err
	})
	var broken *audit.Broken
	if !errors.As(err, &broken) {
		return err
	}
	s.Log.Error("the audit trail is not what it was", "entry", broken.Seq, "why", broken.Why)
	found := uow.ByService(store.FoundBroken, "trail").Because(broken.Error())
	return s.Do(ctx, found, func(tx Records, w *uow.Work) error {
		said, _, err := tx.ListTrail(store.TrailFilter{Action: store.FoundBroken}, store.Page{Limit: 1})
		if err == nil && len(said) > 0 && said[0].Reason == broken.Error() {
			w.Quiet() // it was said already
		}
		w.After = map[string]any{"entry": broken.Seq}
		return err
	})
}

// anchor signs how far the trail goes, after following it from the checkpoint before.
func (s *Service) anchor(tx Records, by string) (c store.Checkpoint, err error) {
	before, _, err := tx.ListCheckpoints(store.Page{Limit: 1})
	if err != nil {
		return c, err
	}
	chain := audit.ChainAfter(0, []byte{}, nil)
	if len(before) > 0 {
		c = before[0]
		if chain, err = s.chainAfter(tx, c); err != nil {
			return c, err
		}
	}
	if err := follow(tx, chain, 0); err != nil {
		return c, err
	}
	if chain.Last == c.Seq {
		return c, nil // nothing is new
	}
	state, err := tx.ServiceState()
	if err != nil {
		return c, err
	}
	proof, err := audit.Prove(
		audit.Checkpoint{
			Organisation: s.Organisation,
			Seq:          chain.Last,
			Hash:         chain.Hash(),
			At:           s.Now(),
		},
		s.Key,
		state.KeyList,
	)
	if err != nil {
		return c, err
	}
	// It leaves before it is stored: one that left and is not stored does no harm.
	if err := s.leave(proof); err != nil {
		return c, fmt.Errorf("writing a checkpoint to %s: %w", s.File, err)
	}
	document, err := json.Marshal(proof)
	if err != nil {
		return c, err
	}
	c = store.Checkpoint{
		Seq:      chain.Last,
		At:       s.Now(),
		Hash:     chain.Hash(),
		Document: proof.Checkpoint,
		KeyList:  proof.KeyList,
		MadeBy:   by,
	}
	if err := tx.AddCheckpoint(c); err != nil {
		return c, err
	}
	return c, tx.AddNotification(store.Notification{
		ID: store.NewID(c.At), Kind: store.CheckpointSigned, Subject: "trail", Path: "/trail", At: c.At,
		Data:  string(document),
		Words: fmt.Sprintf("the audit trail was signed up to entry %d", c.Seq),
	})
}

// chainAfter begins behind a checkpoint, whose signature must hold and whose entry must be the one that it says.
func (s *Service) chainAfter(tx Records, c store.Checkpoint) (*audit.Chain, error) {
	stated, err := audit.Proof{Checkpoint: c.Document, KeyList: c.KeyList}.Open(s.Root)
	if err != nil {
		return nil, &audit.Broken{Seq: c.Seq, Why: "its checkpoint is not signed by this service: " + err.Error()}
	}
	e, err := tx.TrailEntry(stated.Seq)
	if errors.Is(err, store.ErrNotFound) {
		return nil, &audit.Broken{Seq: stated.Seq, Why: "it is missing, and a checkpoint ends with it"}
	}
	if err != nil {
		return nil, err
	}
	chain := audit.ChainAfter(e.Seq-1, e.Prev, []audit.Checkpoint{stated})
	return chain, chain.Follow(e)
}

// follow takes a chain to the end of the trail, or at most so many entries further when that is not 0.
func follow(tx Reads, chain *audit.Chain, most int) error {
	for read := 0; most == 0 || read < most; {
		batch, err := tx.TrailAfter(chain.Last, store.TrailFilter{}, exportBatch)
		if err != nil {
			return err
		}
		for _, e := range batch {
			if err := chain.Follow(e); err != nil {
				return err
			}
		}
		if read += len(batch); len(batch) < exportBatch {
			return nil
		}
	}
	return nil
}

// leave adds a checkpoint to the file, durably.
func (s *Service) leave(p audit.Proof) error {
	if s.File == "" {
		return nil
	}
	line, err := json.Marshal(p)
	if err != nil {
		return err
	}
	f, err := os.OpenFile(s.File, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o640)
	if err != nil {
		return err
	}
	_, err = f.Write(append(line, '\n'))
	return errors.Join(err, f.Sync(), f.Close())
}

// checkStep is how many entries are checked at once.
const checkStep = 10_000

// Checked is what a part of the trail was found to be.
type Checked struct {
	Last     int64 // that was checked
	Head     int64
	Broken   *audit.Broken
	Anchored int64 // the last entry that a checkpoint holds, 0 for none so far
}

// Check follows the trail behind an entry for a while, and compares it with the checkpoints in the database.
func (s *Service) Check(ctx context.Context, after int64) (c Checked, err error) {
	err = s.Snapshot(ctx, func(tx Reads) error {
		c, err = s.check(tx, after)
		return err
	})
	return c, err
}

func (s *Service) check(tx Reads, after int64) (c Checked, err error) {
	head, err := tx.TrailHead()
	if err != nil {
		return c, err
	}
	hash := []byte{}
	if after > 0 {
		e, err := tx.TrailEntry(after)
		if err != nil {
			return c, refusal.New(refusal.NotFound, "the trail has no entry %d", after)
		}
		hash = e.Hash
	}
	stored, err := tx.CheckpointsWithin(after, after+2*checkStep)
	if err != nil {
		return c, err
	}
	var anchors []audit.Checkpoint
	for _, p := range stored {
		stated, err := audit.Proof{Checkpoint: p.Document, KeyList: p.KeyList}.Open(s.Root)
		if err != nil {
			return Checked{after, head.Seq, &audit.Broken{Seq: p.Seq, Why: err.Error()}, 0}, nil
		}
		anchors = append(anchors, stated)
	}
	chain := audit.ChainAfter(after, hash, anchors)
	if err = follow(tx, chain, checkStep); err == nil && chain.Last >= head.Seq {
		err = chain.End()
	}
	c = Checked{Last: chain.Last, Head: head.Seq}
	if chain.Anchored != nil {
		c.Anchored = chain.Anchored.Seq
	}
	if errors.As(err, &c.Broken) {
		err = nil
	}
	return c, err
}
