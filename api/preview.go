package api

import (
	"rankwarden.example/core/effect"
	"rankwarden.example/core/present"
	"rankwarden.example/core/unit"
)

// EffectSums are the sums of a preview as they are shown, the gravest first.
func EffectSums(sums []effect.Sum) (views []EffectSum, takesAway bool) {
	views = []EffectSum{}
	for _, sum := range present.SortSums(sums) {
		takesAway = takesAway || sum.TakesAway()
		views = append(views, EffectSum{
			Effect:    string(sum.Kind),
			Unit:      effect.UnitName(sum.Unit),
			Subject:   sum.Subject,
			Devices:   sum.Devices,
			Section:   present.EffectSection(sum.Kind),
			Words:     present.EffectSum(sum),
			TakesAway: sum.TakesAway(),
			First:     append([]string{}, sum.First...),
		})
	}
	return views, takesAway
}

// Affected is what a change would do to one device, in words too.
func Affected(a effect.Affected, id string) AffectedDevice {
	view := AffectedDevice{
		Device:   a.Device,
		DeviceID: id,
		Reported: a.Reported,
		Settings: []SettingChange{},
	}
	value := func(v unit.Value) any {
		if v == nil {
			return nil
		}
		return v
	}
	for _, s := range a.Settings {
		view.Settings = append(view.Settings, SettingChange{
			Unit:        s.Unit.String(),
			Title:       present.UnitInFull(s.Unit),
			Before:      value(s.Before),
			After:       value(s.After),
			BeforeWords: present.Value(s.Unit, s.Before),
			AfterWords:  present.Value(s.Unit, s.After),
			Supported:   s.Supported,
		})
	}
	view.Effects = Effects(a.Effects)
	return view
}

// Effects are effects on one device, in words too.
func Effects(of []effect.Effect) []Effect {
	views := []Effect{}
	for _, e := range of {
		views = append(views, Effect{
			Unit:      effect.UnitName(e.Unit),
			Effect:    string(e.Kind),
			Subject:   e.Subject,
			Before:    e.Before,
			After:     e.After,
			Words:     present.Effect(e),
			TakesAway: e.TakesAway(),
		})
	}
	return views
}
