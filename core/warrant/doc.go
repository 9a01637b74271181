// Package warrant lays rights for a time over settled membership.
//
// A [Warrant] makes one principal a member of one local group of a device until a stated time. It is no claim and has
// no rank: verdicts, values, problems and holds do not know it. What is settled of a local group, S (nil where nothing
// is), becomes A ([Running.Lay]), with each running warrant's principal P laid over it:
//
//   - P is in S's absent, and the warrant is not despite: nothing ([Overruled]).
//   - P is in S's present: nothing needs to be done ([Already]).
//   - Else P joins present, and leaves absent ([Added]).
//
// Findings are taken against A, and the members that a preview expects follow it.
package warrant
