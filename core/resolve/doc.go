// Package resolve settles what overlapping assignments ask of one device. It is pure: the same
// input gives the same output in any input order.
//
// Each applying assignment makes one [Claim] for each unit its policy has a value for. For every
// unit but a local group, R is the strongest rank among the claims and the claims at R are the top:
//
//   - one claim in all: the verdict is sole;
//   - all claims have the same value: agreed;
//   - the top has one value, some weaker claim differs: ranked;
//   - the top differs and the unit has an order of strictness: the strictest wins, stricter;
//   - the top differs and it has none: contested, there is no value and the unit is held.
//
// A local group is settled from statements, exact or adjust. If there are exact ones, r is the
// strongest rank among them; exact statements at r must name the same members, or the unit is
// contested. They close the group: their members are the base, anything weaker than r is
// disregarded, an adjust at r may only take away, an adjust stronger than r counts in full.
// Without an exact statement the group is open and all adjusts add up. For each principal the
// strongest mention wins; at equal rank absent beats present.
//
// After the units, the whole is checked: see [Problem]. What a device is told is then composed
// from the settled values, and from the last values of units that must be held: see [Compose].
package resolve
