// Package unit is the catalogue of settings: the smallest things that overlap of policies is decided for.
//
// A setting has an [ID], made of its [Family] and a key within it, and a [Value]. Each family has a file of
// its own, with its values, when two of them are equal, which is stricter, and how they are read. A new
// kind of setting is one more family, or one more key of one.
//
// An ID that cannot be a setting is the zero ID. It has no family, and is refused wherever it is read.
package unit
