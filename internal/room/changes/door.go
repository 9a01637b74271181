package changes

import (
	"cmp"
	"context"
	"strings"

	"rankwarden.example/core/effect"
	"rankwarden.example/core/gate"
	"rankwarden.example/internal/base/refusal"
	"rankwarden.example/internal/base/uow"
	"rankwarden.example/internal/store"
)

// Asking is how somebody comes to the door.
type Asking struct {
	Seen   string // digest of the preview that they have seen, empty for none
	Reason string
}

// attempt is an alteration that comes to the door.
type attempt struct {
	act    uow.Act
	asking Asking
	source gate.Source
	what   any  // what would be done, for the digest of its preview
	whole  bool // it is a whole change, which is always looked at first
	// atOnce says that it goes to all of its devices at once; nil for yes.
	atOnce func(x *weighed) bool
	beside []string // groups that are read beside those in use
	// first is done before anything is tried; it may lock what the alteration is of, and say what was agreed to.
	first func(tx Records, w *uow.Work) (*gate.Agreement, error)
	// make makes the alteration. It is called once to see what it does, taken back, and called again.
	make func(tx Records, w *uow.Work) error
	// also gives ways in that it opens beside what plans can tell, once it was tried; nil for none.
	also func(tx Records) (effect.AccessSet, error)
	// everybody says that all devices it concerns are told something else, whatever their settings are.
	everybody bool
	// unattended says that nobody is there who could look first: then it waits for somebody.
	unattended bool
	// goes is done instead of making it again, where a rollout takes it out; nil for at once.
	goes func(tx Records, w *uow.Work, x *weighed) error
	// waits has it wait, for somebody else or for a decision.
	waits func(tx Records, w *uow.Work, x *weighed) error
}

// pass takes an alteration through the door: it is tried, what it does is judged, and it is made, has to be looked at,
// waits, or is refused. One goes through at a time, so that what it was judged by still holds when it is made.
func (s *Service) pass(ctx context.Context, a *attempt) error {
	return s.atTheDoor(ctx, a.act, func(tx Records, w *uow.Work) error {
		var agreed *gate.Agreement
		if a.first != nil {
			var err error
			if agreed, err = a.first(tx, w); err != nil {
				return err
			}
		}
		x, err := s.weighTried(ctx, tx, w, *a)
		if err != nil {
			return err
		}
		return s.admit(tx, w, *a, x, agreed)
	})
}

// admit does what the judgement says.
func (s *Service) admit(tx Records, w *uow.Work, a attempt, x *weighed, agreed *gate.Agreement) error {
	source := w.Who().Name
	lately := gate.Count{}
	var err error
	if lately.Devices, lately.Lost, err = tx.PassagesOf(source, s.Now()); err != nil {
		return err
	}
	x.Judgement = s.Rules.Judge(gate.Alteration{
		Source: a.source, Beyond: x.beyond, Access: x.Access, Everything: x.everything, AtOnce: x.atOnce,
		Devices: x.Devices, Fleet: x.Fleet, Lately: lately, Seen: a.asking.Seen == x.Digest, Agreed: agreed,
	})
	x.Needs = x.Judgement.Needs
	switch {
	case x.Judgement.Answer == gate.Refuse:
		return refusal.BeyondReach()
	case a.asking.Seen != "" && a.asking.Seen != x.Digest:
		return errPreviewMoved(w.Object(), x.Preview)
	case a.unattended && x.Judgement.Answer != gate.Go:
		return a.waits(tx, w, x)
	case (a.whole || x.mustBeSeen()) && a.asking.Seen == "":
		return errLookFirst(x)
	case x.mustBeReasoned() && strings.TrimSpace(a.asking.Reason) == "":
		return errSayWhy
	}
	if reason := strings.TrimSpace(a.asking.Reason); reason != "" {
		w.Explain(reason)
	}
	switch x.Judgement.Answer {
	case gate.Wait, gate.Agree:
		return a.waits(tx, w, x)
	}
	if a.goes != nil {
		err = a.goes(tx, w, x)
	} else {
		err = a.make(tx, w)
	}
	if err != nil {
		return err
	}
	return s.passed(tx, w, a, x)
}

// passed counts what went into force without anybody looking, and tells of new administrators.
func (s *Service) passed(tx Records, w *uow.Work, a attempt, x *weighed) error {
	w.TellAdministrators(x.Access)
	if a.asking.Seen != "" || x.Devices == 0 {
		return nil
	}
	return tx.AddPassage(store.Passage{At: s.Now(), Source: w.Who().Name, Devices: x.Devices, Lost: x.lost()})
}

// errSayWhy asks for a reason.
var errSayWhy = refusal.New(refusal.Invalid,
	"say why: this gives, takes or moves a way in. The reason stands on the trail and in what is told of it").
	At("reason").Asked().WithCode("say_why")

// errLookFirst has whoever asks look at what it would do.
func errLookFirst(x *weighed) error {
	why := cmp.Or(strings.Join(x.whyLook(), "; "), "a change is always looked at first")
	e := refusal.New(refusal.Conflict, "nothing was done yet: look at what this would do, and ask again with the "+
		"digest of what you saw (%s)", why).WithCode("look_first")
	e.Preview = x.Preview
	return e
}

// errPreviewMoved refuses what is no longer what somebody has seen.
func errPreviewMoved(name string, now *Preview) error {
	e := refusal.New(refusal.Conflict, "what %q would do is no longer what you saw; look at it again, and ask for that",
		name).WithCode("preview_changed")
	e.Preview = now
	return e
}

// errWaits says that something waits for a second person, as a refusal: it was not done.
func errWaits(change string, needs []string) error {
	e := refusal.New(refusal.Conflict, "%s waits for a second person: %s", change, strings.Join(needs, "; ")).
		WithCode("waits_for_approval")
	e.Waits = change
	return e
}
