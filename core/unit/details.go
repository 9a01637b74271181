package unit

import "time"

// Details describe a managed account beside its name and its state. The same type holds what a policy asks for, what
// a device reports and what its operating system is told.
type Details struct {
	FullName        string `json:"full_name"`
	Description     string `json:"description"`
	PasswordExpires bool   `json:"password_expires"`
	PasswordFixed   bool   `json:"password_fixed,omitempty"` // whoever uses the account cannot change its password
	// ExpiresOn is the day, such as 2027-03-31, from which (in UTC) the account opens nothing; empty for none.
	ExpiresOn string `json:"expires_on,omitempty"`
}

// Expired reports whether the day on which the account expires has come.
func (d Details) Expired(now time.Time) bool {
	day, err := time.Parse(time.DateOnly, d.ExpiresOn)
	return err == nil && !now.Before(day)
}

// Detail is one property of [Details]. Reading a document, comparing with a report, the preview, the sentences for
// people and the device all go through [AccountDetails], so that a new property is a field above and a line there.
// Exactly one of Text and Flag is set.
type Detail struct {
	Name    string                 // its key in documents, reports, findings and effects
	About   string                 // for the schema of documents
	Phrase  string                 // how the property of an account is said; %q stands for a text
	Builtin bool                   // built-in accounts have it as a setting of its own
	Day     bool                   // the text is a day, as [time.DateOnly] has it
	Text    func(*Details) *string // where a text is
	Flag    func(*Details) *bool   // where a yes or no is
}

// Names of details that more is known of.
const (
	DetailPasswordFixed = "password_fixed"
	DetailExpiresOn     = "expires_on"
)

// AccountDetails are all of them, in the order in which they are written.
var AccountDetails = []Detail{
	{Name: "full_name", About: "Full name", Phrase: "full name %q", Builtin: true,
		Text: func(d *Details) *string { return &d.FullName }},
	{Name: "description", About: "Description", Phrase: "%q", Builtin: true,
		Text: func(d *Details) *string { return &d.Description }},
	{Name: "password_expires", About: "Whether the password expires by the password rules", Phrase: "password expires",
		Flag: func(d *Details) *bool { return &d.PasswordExpires }},
	{Name: DetailPasswordFixed, About: "Whether whoever uses the account cannot change its password",
		Phrase: "its user cannot change the password", Flag: func(d *Details) *bool { return &d.PasswordFixed }},
	{Name: DetailExpiresOn, About: "The day from which the account opens no more, such as 2027-03-31", Day: true,
		Phrase: "expires on %s", Text: func(d *Details) *string { return &d.ExpiresOn }},
}

// DetailOf is the property of a name, and false where there is none.
func DetailOf(name string) (Detail, bool) {
	for _, d := range AccountDetails {
		if d.Name == name {
			return d, true
		}
	}
	return Detail{}, false
}

// Of is the property's value in details, a [Text] or a [Bool].
func (d Detail) Of(details Details) Value {
	if d.Text != nil {
		return Text(*d.Text(&details))
	}
	return Bool(*d.Flag(&details))
}

// Plain is the property's value in details as JSON has it, a string or a bool.
func (d Detail) Plain(details Details) any {
	if d.Text != nil {
		return *d.Text(&details)
	}
	return *d.Flag(&details)
}

// With gives details that have the property from others.
func (d Detail) With(details, others Details) Details { return d.Set(details, d.Of(others)) }

// Set gives details with the property set to a value of the kind that [Detail.Of] gives.
func (d Detail) Set(details Details, value Value) Details {
	switch v := value.(type) {
	case Text:
		*d.Text(&details) = string(v)
	case Bool:
		*d.Flag(&details) = bool(v)
	}
	return details
}
