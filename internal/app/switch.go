package app

import (
	"fmt"
	"time"

	"github.com/spf13/pflag"

	"rankwarden.example/api"
	"rankwarden.example/internal/room/retention"
)

// Switch is one option of the service. Declared once, it is a flag of the command, a key of the configuration file, a
// variable of the environment, a part of [Config], and a line on the page of settings. See switches.go.
type Switch struct {
	Name  string
	usage string // the kind of value stands in back quotes, as pflag has it
	value any    // the default: string, bool, int, [time.Duration] or []string

	set func(c *Config, given Values) // nil where several options are read together

	section, title string // on the page of settings; empty for what is not shown there
	also           string // another option that says a part of what is shown
	show           func(c Config) string
}

// Values gives what was set, or the defaults, by the name of an option.
type Values interface {
	String(name string) string
	Strings(name string) []string
	Bool(name string) bool
	Int(name string) int
	Duration(name string) time.Duration
}

// AddFlags adds a flag for each option of the service.
func AddFlags(f *pflag.FlagSet) {
	for _, s := range switches {
		switch value := s.value.(type) {
		case string:
			f.String(s.Name, value, s.usage)
		case bool:
			f.Bool(s.Name, value, s.usage)
		case int:
			f.Int(s.Name, value, s.usage)
		case time.Duration:
			f.Duration(s.Name, value, s.usage)
		case []string:
			f.StringSlice(s.Name, value, s.usage)
		default:
			panic(fmt.Sprintf("the option %s has a default of a kind that no flag has", s.Name))
		}
	}
}

// Configure gives the configuration that options make. What several options say together, such as a connection to a
// directory, is added by the caller.
func Configure(given Values) Config {
	c := Config{Kept: retention.DefaultKept} // not all of it has an option
	for _, s := range switches {
		if s.set != nil {
			s.set(&c, given)
		}
	}
	return c
}

// Settings are how the service is configured, in words and without secrets.
func (c Config) Settings() []api.Setting {
	var list []api.Setting
	for _, s := range switches {
		if s.show != nil {
			option := s.Name
			if s.also != "" {
				option += ", " + s.also
			}
			list = append(list, api.Setting{Section: s.section, Title: s.title, Value: s.show(c), Option: option})
		}
	}
	return list
}

// text is an option that is a string.
func text(name, value, usage string, field func(c *Config) *string) Switch {
	return Switch{Name: name, usage: usage, value: value,
		set: func(c *Config, given Values) { *field(c) = given.String(name) }}
}

// list is an option that may be given several times.
func list(name, usage string, field func(c *Config) *[]string) Switch {
	return Switch{Name: name, usage: usage, value: []string(nil),
		set: func(c *Config, given Values) { *field(c) = given.Strings(name) }}
}

// yes is an option that is off unless it is given.
func yes(name, usage string, field func(c *Config) *bool) Switch {
	return Switch{Name: name, usage: usage, value: false,
		set:  func(c *Config, given Values) { *field(c) = given.Bool(name) },
		show: func(c Config) string { return yesOrNo(*field(&c)) }}
}

// number is an option that is a whole number.
func number(name string, value int, usage string, field func(c *Config) *int) Switch {
	return Switch{Name: name, usage: usage, value: value,
		set: func(c *Config, given Values) { *field(c) = given.Int(name) }}
}

// period is an option that is a time.
func period(name string, value time.Duration, usage string, field func(c *Config) *time.Duration) Switch {
	return Switch{Name: name, usage: usage, value: value,
		set:  func(c *Config, given Values) { *field(c) = given.Duration(name) },
		show: func(c Config) string { return span(*field(&c)) }}
}

// together is an option that is read with others, by whoever calls [Configure].
func together(name string, value any, usage string) Switch {
	return Switch{Name: name, usage: usage, value: value}
}

// on puts the option on the page of settings.
func (s Switch) on(section, title string) Switch {
	s.section, s.title = section, title
	return s
}

// shown says how the page of settings shows it.
func (s Switch) shown(show func(c Config) string) Switch {
	s.show = show
	return s
}

// with names another option that says a part of what is shown.
func (s Switch) with(option string) Switch {
	s.also = option
	return s
}

// hidden keeps an option off the page of settings.
func (s Switch) hidden() Switch {
	s.show = nil
	return s
}

func yesOrNo(is bool) string { return map[bool]string{true: "yes", false: "no"}[is] }

// span is a time in words; empty for none.
func span(d time.Duration) string {
	const day = 24 * time.Hour
	for _, in := range []struct {
		unit time.Duration
		word string
	}{{day, "days"}, {time.Hour, "h"}, {time.Minute, "min"}, {time.Second, "s"}} {
		if d > 0 && d%in.unit == 0 {
			return fmt.Sprintf("%d %s", d/in.unit, in.word)
		}
	}
	if d == 0 {
		return ""
	}
	return d.String()
}
