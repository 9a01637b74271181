package uow

import (
	"rankwarden.example/core/operation"
	"rankwarden.example/core/rights"
)

// Act is one thing that somebody does: who, with which right, and what the trail calls it. It is made by [ByOperator],
// [ByDevice], [ByService] or [Upkeep], so that none without a right or a name can be written down by mistake.
type Act struct {
	who    rights.Identity
	right  rights.Right // that who needs; empty for what a device does, or the service by itself
	action string       // empty for what leaves no entry on the trail
	object string
	reason string
	under  string
	unseen bool
	made   bool // by one of the functions below
}

// ByOperator is an act of an operator, or of somebody at the machine of the service: it needs the right of an
// operation, and the trail calls it what the operation says.
func ByOperator(o *operation.Operation, who rights.Identity, object string) Act {
	return Act{who: who, right: o.Right, action: o.Name(), object: object, made: true}
}

// ByDevice is an act of a device, which needs no right. The trail does not tell of it, unless it is named with
// [Act.As].
func ByDevice(id string) Act { return Act{who: Device(id, ""), object: id, made: true} }

// ByService is what the service does without being asked, and the trail tells of.
func ByService(action, object string) Act {
	return Act{who: Itself, action: action, object: object, made: true}
}

// Upkeep is what the service does without being asked, and nobody needs to know of, such as counting or clearing away.
func Upkeep() Act { return Act{who: Itself, made: true} }

// As is the act under another name on the trail, where one operation has several outcomes; an empty one leaves no
// entry.
func (a Act) As(action string) Act { a.action = action; return a }

// Because is the act with its reason in the operator's words.
func (a Act) Because(reason string) Act { a.reason = reason; return a }

// On is the act on something else, as a part of another act is.
func (a Act) On(object string) Act { a.object = object; return a }

// InChange is an act that the rollout of a change does; what that rollout touches is kept from everybody else.
func (a Act) InChange(name string) Act { a.under = name; return a }

// ShowingAttempts has an attempt on a device that the actor may not see on the trail as well.
func (a Act) ShowingAttempts() Act { a.unseen = true; return a }

// Reason is why, in the operator's words, where the act needs one.
func (a Act) Reason() string { return a.reason }
