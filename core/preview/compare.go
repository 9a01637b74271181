package preview

import (
	"slices"

	"rankwarden.example/core/drift"
	"rankwarden.example/core/effect"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/principal"
	"rankwarden.example/core/resolve"
	"rankwarden.example/core/text"
	"rankwarden.example/core/unit"
	"rankwarden.example/core/warrant"
)

// Difference is what differs between two lanes for all devices that have both and were last told the same. It is
// worked out once for many devices and must not be changed.
type Difference struct {
	desired [2][]unit.Setting // by future, sorted by unit
	changes []effect.SettingChange
	held    []effect.Effect
	touches [unit.Rotation + 1]bool // families in which a desired value differs

	accounts []keyAsked         // what is desired of managed accounts in either future
	rotated  [2][]principal.Ref // accounts whose password is kept, by future
	nobody   [2]*drift.Nobody   // which accounts no policy names, by future; nil where nothing is asked of them
}

// Differ compares what a device is desired to have without a change and with it. Previous are the settings of its last
// desired state, which held settings keep; nil when none is known.
func Differ(before, after resolve.Lane, previous []unit.Setting) *Difference {
	d := &Difference{held: heldEffects(before, after)}
	d.desired[without], _ = resolve.Compose(before, previous)
	d.desired[with], _ = resolve.Compose(after, d.desired[without])
	d.compare()
	return d
}

// compare finds, once, what differs between the desired values, and what is looked up of them for every device.
func (d *Difference) compare() {
	for future, settings := range d.desired {
		d.nobody[future] = drift.NamedByNobody(settings)
	}
	eachUnit(d.desired[without], d.desired[with], func(id unit.ID, before, after unit.Value) {
		if key, ok := id.AccountKey(); ok {
			d.accounts = append(d.accounts, keyAsked{key, [2]*unit.AccountValue{accountOf(before), accountOf(after)}})
		}
		if target, ok := id.Target(); ok {
			for future, value := range [2]unit.Value{before, after} {
				if value != nil {
					d.rotated[future] = append(d.rotated[future], target)
				}
			}
		}
		if !same(before, after) {
			d.changes = append(d.changes, effect.SettingChange{Unit: id, Before: before, After: after, Supported: true})
			d.touches[id.Family()] = true
		}
	})
}

func accountOf(v unit.Value) *unit.AccountValue {
	if a, ok := v.(unit.AccountValue); ok {
		return &a
	}
	return nil
}

// Empty reports whether nothing differs, so that no device is affected.
func (d *Difference) Empty() bool { return len(d.changes) == 0 && len(d.held) == 0 }

// Units are the settings of which something else is desired, or that are held in one of the two, sorted.
func (d *Difference) Units() []unit.ID {
	var ids []unit.ID
	for _, c := range d.changes {
		ids = append(ids, c.Unit)
	}
	for _, e := range d.held {
		ids = append(ids, e.Unit)
	}
	slices.SortFunc(ids, unit.ID.Compare)
	return slices.Compact(ids)
}

// Compare works out what a difference does to a device by its state, which is nil for one that never reported, and what
// runs on it. Settings and effects come sorted; they are nil where there is none.
func (d *Difference) Compare(
	known Device, directory principal.Directory,
) (settings []effect.SettingChange, effects []effect.Effect) {
	if d.Empty() {
		return nil, nil
	}
	settings = d.changes
	state := known.State
	if state != nil {
		if unable := state.Unable(d.desired[with]); len(unable) > 0 {
			settings = slices.Clone(settings)
			for i := range settings {
				settings[i].Supported = !slices.Contains(unable, settings[i].Unit)
			}
		}
	}
	effects = d.effects(known, directory, nil)
	if state != nil { // else they are shared, and in order
		slices.SortFunc(effects, effect.Compare)
	}
	return settings, effects
}

// effects are those of [Difference.Compare] alone, in any order. Tell, nil for nobody, is told how the ways in change.
func (d *Difference) effects(
	known Device, directory principal.Directory, tell func(e effect.AccessEffect),
) []effect.Effect {
	state := known.State
	if d.Empty() {
		return nil
	}
	if state == nil {
		if tell != nil {
			d.asked(tell)
		}
		return d.held
	}
	c := &comparer{
		Difference: d,
		state:      state,
		directory:  directory,
		effects:    append(make([]effect.Effect, 0, 16), d.held...),
		warrants:   known.Warrants,
		unable:     state.Unable(d.desired[with]),
	}
	if len(c.unable) > 0 {
		c.Difference = d.supported(c.unable)
	}
	c.run()
	if tell != nil {
		c.access(tell)
	}
	return c.effects
}

// supported is the difference without the settings that a device does not support: nothing is desired of them.
func (d *Difference) supported(unsupported []unit.ID) *Difference {
	not := func(s unit.Setting) bool { return slices.Contains(unsupported, s.Unit) }
	if !slices.ContainsFunc(d.desired[without], not) && !slices.ContainsFunc(d.desired[with], not) {
		return d
	}
	left := &Difference{held: d.held}
	for future, settings := range d.desired {
		left.desired[future] = slices.DeleteFunc(slices.Clone(settings), not)
	}
	left.compare()
	return left
}

// comparer works out the effects on one device.
type comparer struct {
	*Difference
	state     *drift.State
	directory principal.Directory
	effects   []effect.Effect
	warrants  warrant.Running
	unable    []unit.ID    // what the device does not carry out
	keys      []keyMeaning // of the keys looked at so far

	administrators *[2][]identity // its members by future, nil until they were looked for
}

func (c *comparer) add(id unit.ID, kind effect.Kind, subject string, before, after any) {
	c.effects = append(c.effects, effect.Effect{Unit: id, Kind: kind, Subject: subject, Before: before, After: after})
}

func (c *comparer) run() {
	for _, change := range c.changes {
		id := change.Unit
		switch id.Family() {
		case unit.Passwords, unit.Locking:
			c.rule(change)
		case unit.Builtins:
			c.builtin(change)
		case unit.Accounts:
			if id != unit.Others {
				c.account(change)
			}
		case unit.Rotation:
			c.rotation(change)
		}
	}
	if c.touches[unit.Membership] || c.touches[unit.Accounts] {
		c.others()
		c.members()
	}
	if c.touches != [unit.Rotation + 1]bool{} {
		c.guard()
	}
}

// rule is a password rule or the lockout: it gets stricter or less strict.
func (c *comparer) rule(change effect.SettingChange) {
	before, after := c.ruleValue(change.Unit, change.Before), c.ruleValue(change.Unit, change.After)
	switch {
	case before == nil && after == nil:
	case before == nil || after == nil:
		c.add(change.Unit, effect.Changed, "", jsonValue(before), jsonValue(after))
	default:
		switch order, _ := unit.Strictness(change.Unit, after, before); {
		case order > 0:
			c.add(change.Unit, effect.Tightened, "", before, after)
		case order < 0:
			c.add(change.Unit, effect.Loosened, "", before, after)
		}
	}
}

// ruleValue is what holds for a rule in a future: what is desired, else what was reported, else nil.
func (c *comparer) ruleValue(id unit.ID, desired unit.Value) unit.Value {
	if desired == nil {
		desired = c.state.Value(id)
	}
	if l, ok := desired.(unit.LockoutValue); ok && l.Threshold == 0 {
		return unit.LockoutValue{}
	}
	return desired
}

// builtin is a property of a built-in account that the device has.
func (c *comparer) builtin(change effect.SettingChange) {
	account, property, _ := change.Unit.Builtin()
	before, after := c.ruleValue(change.Unit, change.Before), c.ruleValue(change.Unit, change.After)
	if c.state.Value(change.Unit) == nil || same(before, after) {
		return
	}
	switch subject := account.String(); property {
	case unit.BuiltinName:
		if text.Fold(string(before.(unit.Text))) != text.Fold(string(after.(unit.Text))) {
			c.add(change.Unit, effect.AccountRenamed, subject, before, after)
		}
	case unit.BuiltinEnabled:
		c.add(change.Unit, enabling(bool(after.(unit.Bool))), subject, nil, nil)
	default:
		key := string(property)
		c.add(change.Unit, effect.AccountDescribed, subject, map[string]any{key: before}, map[string]any{key: after})
	}
}

func (c *comparer) rotation(change effect.SettingChange) {
	target, _ := change.Unit.Target()
	kind := effect.RotationChanged
	switch {
	case change.Before == nil:
		kind = effect.RotationStarts
	case change.After == nil:
		kind = effect.RotationStops
	}
	c.add(change.Unit, kind, target.String(), jsonValue(change.Before), jsonValue(change.After))
}

func enabling(enabled bool) effect.Kind {
	if enabled {
		return effect.AccountEnabled
	}
	return effect.AccountDisabled
}

// same reports whether two desired values are equal; nil is nothing desired.
func same(a, b unit.Value) bool {
	if a == nil || b == nil {
		return a == nil && b == nil
	}
	return a.Equal(b)
}

// jsonValue keeps a missing value the JSON null.
func jsonValue(v unit.Value) any {
	if v == nil {
		return nil
	}
	return v
}

// eachUnit visits every unit of two sorted lists, with its value in each, nil where a list does not have it.
func eachUnit(left, right []unit.Setting, visit func(id unit.ID, before, after unit.Value)) {
	for len(left) > 0 || len(right) > 0 {
		order := 0
		switch {
		case len(left) == 0:
			order = 1
		case len(right) == 0:
			order = -1
		default:
			order = left[0].Unit.Compare(right[0].Unit)
		}
		var id unit.ID
		var before, after unit.Value
		if order <= 0 {
			id, before, left = left[0].Unit, left[0].Value, left[1:]
		}
		if order >= 0 {
			id, after, right = right[0].Unit, right[0].Value, right[1:]
		}
		visit(id, before, after)
	}
}

// heldUnits are the units that a lane holds: contested ones and those of its errors. All is true when every unit is
// held.
func heldUnits(l resolve.Lane) (held map[unit.ID]bool, all bool) {
	held = map[unit.ID]bool{}
	for _, p := range l.Problems {
		if p.Severity != policy.Error {
			continue
		}
		if p.Holds.All {
			return nil, true
		}
		for _, id := range p.Holds.Units {
			held[id] = true
		}
	}
	for _, u := range l.Units {
		if u.Verdict == resolve.Contested {
			held[u.Unit] = true
		}
	}
	return held, false
}

func heldEffects(without, with resolve.Lane) (effects []effect.Effect) {
	before, all := heldUnits(without)
	after, every := heldUnits(with)
	if all || every {
		before, after = map[unit.ID]bool{{}: all}, map[unit.ID]bool{{}: every}
	}
	for id, held := range after {
		if held && !before[id] {
			effects = append(effects, effect.Effect{Unit: id, Kind: effect.Held})
		}
	}
	for id, held := range before {
		if held && !after[id] {
			effects = append(effects, effect.Effect{Unit: id, Kind: effect.NoLongerHeld})
		}
	}
	slices.SortFunc(effects, effect.Compare)
	return effects
}
