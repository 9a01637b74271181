package devicegroups

import (
	"rankwarden.example/core/assign"
	"rankwarden.example/core/fleet"
	"rankwarden.example/core/policy"
	"rankwarden.example/core/text"
	"rankwarden.example/internal/base/refusal"
)

// NotBuiltIn refuses the group that holds every device: nobody creates, edits or removes it.
func NotBuiltIn(name string) error {
	if name == assign.Everything {
		return refusal.New(refusal.Invalid, "%q is the built-in group of all devices; it is always there and cannot "+
			"be changed", name)
	}
	return nil
}

// CheckSpec refuses what a group cannot be: a bad name, a list and a rule at once, or a rule that cannot be read.
func CheckSpec(name string, want Spec) error {
	if err := NotBuiltIn(name); err != nil {
		return err
	}
	switch {
	case !policy.ValidName(name):
		return refusal.New(refusal.Invalid, "%q cannot name a group; use %s", name, policy.NameRule).At("name")
	case want.Amend && len(want.Devices) > 0, !want.Amend && len(want.Add)+len(want.Remove) > 0:
		return refusal.New(refusal.Invalid, "say either who is in the group (devices), or with amend who comes and "+
			"who leaves (add, remove)").At("devices")
	case want.Rule == "":
		return nil
	case len(want.Devices) > 0, want.Amend:
		return refusal.New(refusal.Invalid, "a group has either a list of devices or a rule; leave one out").At("rule")
	}
	_, err := Rule(want.Rule)
	return err
}

// DeviceKeys checks names of devices, at most so many, and folds them.
func DeviceKeys(names []string, most int) ([]string, error) {
	if len(names) > most {
		return nil, refusal.New(refusal.Invalid, "%d devices are too many for one edit; send at most %d at a time",
			len(names), most).
			At("devices")
	}
	keys := make([]string, len(names))
	for i, name := range names {
		if err := text.CheckName(name, fleet.MaxDeviceName); err != nil {
			return nil, refusal.New(refusal.Invalid, "the name of device %d (%q) %v", i+1, name, err).At("devices")
		}
		keys[i] = text.Fold(name)
	}
	return keys, nil
}
