// Package change is a set of edits that goes out together: policies to publish, assignments and groups to make, to
// replace or to take away.
//
// Edits are judged one by one, each at its turn: one that names what is not there then is an error that says which edit
// it was. [Apply] gives the inputs of a plan with the edits, so that what they would do can be seen before anything is
// done.
package change
