package httpapi

import (
	"cmp"
	"context"

	"rankwarden.example/api"
	"rankwarden.example/core/change"
	"rankwarden.example/core/operation"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/rights"
	"rankwarden.example/internal/room/changes"
	"rankwarden.example/internal/store"
)

// viewChange shows a change without its edits.
func viewChange(c store.Change) api.Change {
	return api.Change{
		Name:      c.Name,
		Title:     c.Title,
		Reason:    c.Reason,
		State:     string(c.State),
		Version:   c.Version,
		CreatedAt: c.CreatedAt,
		CreatedBy: c.CreatedBy,
		UpdatedAt: c.UpdatedAt,
		ClosedAt:  c.ClosedAt,
		AskedBy:   c.AskedBy,
		Needs:     append([]string{}, c.Needs...),
	}
}

// viewChangeDetail shows a change with its edits. A conflict is of no interest once the change went out or was
// dropped.
func viewChangeDetail(who rights.Identity, c changes.ChangeWithEdits) api.ChangeDetail {
	detail := api.ChangeDetail{
		Change:  viewChange(c.Change),
		Edits:   []api.EditState{},
		Problem: c.Problem,
		Rollout: c.Rollout,
		Waves:   c.Waves,
		Own:     c.IsOf(who.Name),
	}
	for _, e := range c.Edits {
		state := api.EditState{
			ChangeEdit: e.Edit,
			Type:       string(e.Kind.Type()),
			EditedBy:   e.EditedBy,
			Version:    e.Version,
			Now:        e.Now,
			Conflict:   c.State.IsOpen() && e.HasConflict(),
		}
		detail.Edits = append(detail.Edits, state)
	}
	return detail
}

// withChange shows a change to somebody, who sees names of devices in reach.
func (a *routes) withChange(who rights.Identity) func(
	c changes.ChangeWithEdits, err error,
) (*WithETag[api.ChangeDetail], error) {
	return func(c changes.ChangeWithEdits, err error) (*WithETag[api.ChangeDetail], error) {
		return tagged(c.Version, viewChangeDetail(who, a.Changes.SeenBy(who, c))), err
	}
}

// AboutChange is in every request that describes a change.
type AboutChange struct {
	Title  string `json:"title,omitempty"  maxLength:"200"`
	Reason string `json:"reason,omitempty" maxLength:"2000"`
}

func (a *routes) changesRoutes() {
	register(a, operation.ListChanges, a.listChanges)
	register(a, operation.CreateChange, a.createChange)
	register(a, operation.ShowChange, a.showChange)
	register(a, operation.EditChange, a.editChange)
	register(a, operation.ChangeHistory, a.changeHistory)
	a.changeEdits()
	a.changeSteps()
	a.previews()
}

func (a *routes) listChanges(ctx context.Context, _ rights.Identity, in *struct {
	PageQuery
	State  []string `query:"state,explode" doc:"Only those of these states"`
	Search string   `query:"search" maxLength:"100" doc:"Part of a name or title"`
}) (*List[api.ChangeSummary], error) {
	list, next, err := a.Changes.Changes(ctx, in.State, in.Search, in.page())
	return listOf(list, next, err, func(c store.ChangeCount) api.ChangeSummary {
		return api.ChangeSummary{Change: viewChange(c.Change), Edits: c.Edits}
	})
}

func (a *routes) createChange(ctx context.Context, who rights.Identity, in *struct {
	Body struct {
		Name string `json:"name" minLength:"1" maxLength:"63"`
		AboutChange
	}
}) (*WithETag[api.Change], error) {
	c, err := a.Changes.NewChange(ctx, who, in.Body.Name, in.Body.Title, in.Body.Reason)
	return tagged(c.Version, viewChange(c)), err
}

func (a *routes) showChange(
	ctx context.Context, who rights.Identity, in *NamePath,
) (*WithETag[api.ChangeDetail], error) {
	return a.withChange(who)(a.Changes.Change(ctx, in.Name))
}

func (a *routes) editChange(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	IfMatch
	Body AboutChange
}) (*WithETag[api.ChangeDetail], error) {
	over, err := in.version()
	if err != nil {
		return nil, err
	}
	return a.withChange(who)(a.Changes.DescribeChange(ctx, who, in.Name, in.Body.Title, in.Body.Reason, over))
}

func (a *routes) changeHistory(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	PageQuery
}) (*List[api.ChangeEvent], error) {
	list, next, err := a.Changes.ChangeHistory(ctx, who, in.Name, in.page())
	return listOf(list, next, err, func(e store.ChangeEvent) api.ChangeEvent {
		return api.ChangeEvent{At: e.At, Who: e.Who, What: e.What, Detail: e.Detail}
	})
}

// changeEdits are the edits of a change.
func (a *routes) changeEdits() {
	register(a, operation.AddEdit, a.addEdit)
	register(a, operation.DeleteEdit, a.deleteEdit)
}

func (a *routes) addEdit(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Body api.PutEdit
}) (*WithETag[api.EditResult], error) {
	c, problems, err := a.Changes.PutEdit(ctx, who, in.Name, in.Body.ChangeEdit, in.Body.Replaces)
	result := api.EditResult{Change: viewChangeDetail(who, a.Changes.SeenBy(who, c)),
		Problems: append([]policy.Problem{}, problems...)}
	return tagged(c.Version, result), err
}

func (a *routes) deleteEdit(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Type  string `path:"type" enum:"policy,assignment,group"`
	Thing string `path:"thing" doc:"Name of the policy, assignment or group"`
}) (*WithETag[api.ChangeDetail], error) {
	return a.withChange(who)(a.Changes.RemoveEdit(ctx, who, in.Name, change.Type(in.Type), in.Thing))
}

// changeSteps are what takes a change from one state to another.
func (a *routes) changeSteps() {
	register(a, operation.DropChange, a.dropChange)
	register(a, operation.ApplyChange, a.applyChange)
	register(a, operation.RevertChange, a.revertChange)
	register(a, operation.DecideChange, a.decideChange)
	register(a, operation.ChangeApprovers, a.changeApprovers)
}

func (a *routes) dropChange(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Body struct {
		Reason string `json:"reason,omitempty" maxLength:"2000"`
	}
}) (*WithETag[api.ChangeDetail], error) {
	return a.withChange(who)(a.Changes.DropChange(ctx, who, in.Name, in.Body.Reason))
}

func (a *routes) applyChange(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	AtTheDoor
	Body struct {
		Digest string `json:"digest,omitempty" maxLength:"100" doc:"That of the preview you have seen; needed where it gives, takes or moves a way in"`
		Reason string `json:"reason,omitempty" maxLength:"2000" doc:"Needed there too, where the change has none"`
	}
}) (*WithETag[api.ChangeDetail], error) {
	asking := changes.Asking{Seen: cmp.Or(in.Body.Digest, in.Seen), Reason: cmp.Or(in.Body.Reason, in.Reason)}
	return a.withChange(who)(a.Changes.ApplyChange(ctx, who, in.Name, asking))
}

// revertChange answers with the draft that takes a change back.
func (a *routes) revertChange(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Body struct {
		Reason string `json:"reason,omitempty" maxLength:"2000"`
	}
}) (*WithETag[api.ChangeDetail], error) {
	return a.withChange(who)(a.Changes.RevertChange(ctx, who, in.Name, in.Body.Reason))
}

func (a *routes) decideChange(ctx context.Context, who rights.Identity, in *struct {
	NamePath
	Body struct {
		Approve bool   `json:"approve"`
		Reason  string `json:"reason,omitempty" maxLength:"2000" doc:"Needed to refuse"`
		Digest  string `json:"digest" maxLength:"100" doc:"That of the preview you have seen"`
	}
}) (*WithETag[api.ChangeDetail], error) {
	b := in.Body
	return a.withChange(who)(a.Changes.DecideChange(ctx, who, in.Name, b.Approve, b.Reason, b.Digest))
}

func (a *routes) changeApprovers(ctx context.Context, _ rights.Identity, in *struct {
	NamePath
	PageQuery
}) (*List[api.Approver], error) {
	list, next, err := a.Changes.Approvers(ctx, in.Name, in.page())
	return listOf(list, next, err, func(name string) api.Approver { return api.Approver{Name: name} })
}
