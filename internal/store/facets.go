package store

import "gorm.io/gorm"

// conn is a transaction, or the database outside of one.
type conn struct{ db *gorm.DB }

// querier is any facet.
type querier interface{ session() *gorm.DB }

func (t conn) session() *gorm.DB { return t.db }

// The facets for reading.
type (
	// AccessReader reads operators with their sessions, factors, passkeys, tokens and grants.
	AccessReader struct{ conn }
	// OrganisationReader reads groups of devices, who is in them, and the directory.
	OrganisationReader struct{ conn }
	// ChangesReader reads policies, assignments, changes, and what waits at the brake.
	ChangesReader struct{ conn }
	// DevicesReader reads devices, their enrolment, reports, events and orders.
	DevicesReader struct{ conn }
	// FindingsReader reads findings, waivers, and what Watch and the posture report count.
	FindingsReader struct{ conn }
	// PasswordsReader reads rotations, deposits, views of them, and escrow keys.
	PasswordsReader struct{ conn }
	// DeployReader reads settling and rollouts.
	DeployReader struct{ conn }
	// TrailReader reads the audit trail, its checkpoints, and attempts of strangers.
	TrailReader struct{ conn }
	// NotifyReader reads notifications, targets and deliveries.
	NotifyReader struct{ conn }
	// RetentionReader reads what is too old to be kept.
	RetentionReader struct{ conn }
	// ServiceReader reads the state of the service itself, and transactions.
	ServiceReader struct{ conn }
)

// The facets for writing. Each reads too, what it writes and under the locks of its transaction.
type (
	// AccessWriter writes operators with their sessions, factors, passkeys, tokens and grants.
	AccessWriter struct{ AccessReader }
	// OrganisationWriter writes who is in groups by rule.
	OrganisationWriter struct{ OrganisationReader }
	// ChangesWriter writes drafts of policies, changes, and what waits at the brake.
	ChangesWriter struct{ ChangesReader }
	// DevicesWriter writes devices, their enrolment, reports, events and orders.
	DevicesWriter struct{ DevicesReader }
	// FindingsWriter writes findings, waivers, and what Watch and the posture report count.
	FindingsWriter struct{ FindingsReader }
	// PasswordsWriter writes rotations, deposits, views of them, and escrow keys.
	PasswordsWriter struct{ PasswordsReader }
	// DeployWriter writes settling and rollouts.
	DeployWriter struct{ DeployReader }
	// TrailWriter writes the audit trail, its checkpoints, and attempts of strangers.
	TrailWriter struct{ TrailReader }
	// NotifyWriter writes notifications, targets and deliveries.
	NotifyWriter struct{ NotifyReader }
	// RetentionWriter deletes what is too old to be kept.
	RetentionWriter struct{ RetentionReader }
	// ServiceWriter writes the state of the service itself, and transactions.
	ServiceWriter struct{ ServiceReader }
)

// InForceWriter writes what is in force: published policies, assignments, groups of devices, facts and the directory.
// It is no part of [Writer]: only the door is handed one, see [ForDoor].
type InForceWriter struct{ conn }

// DoorWriter is a transaction at the door: it writes what is in force as well.
type DoorWriter struct {
	Writer
	InForceWriter
}

func (w DoorWriter) session() *gorm.DB { return w.Writer.session() }

// Reader is everything that may be read.
type Reader struct {
	AccessReader
	OrganisationReader
	ChangesReader
	DevicesReader
	FindingsReader
	PasswordsReader
	DeployReader
	TrailReader
	NotifyReader
	RetentionReader
	ServiceReader
}

// Writer is a transaction that may write everything but what is in force. [Store.InTx] makes one.
type Writer struct {
	AccessWriter
	OrganisationWriter
	ChangesWriter
	DevicesWriter
	FindingsWriter
	PasswordsWriter
	DeployWriter
	TrailWriter
	NotifyWriter
	RetentionWriter
	ServiceWriter
}

func reading(db *gorm.DB) Reader {
	c := conn{db}
	return Reader{
		AccessReader{c},
		OrganisationReader{c},
		ChangesReader{c},
		DevicesReader{c},
		FindingsReader{c},
		PasswordsReader{c},
		DeployReader{c},
		TrailReader{c},
		NotifyReader{c},
		RetentionReader{c},
		ServiceReader{c},
	}
}

func writing(db *gorm.DB) Writer {
	r := reading(db)
	return Writer{
		AccessWriter{r.AccessReader},
		OrganisationWriter{r.OrganisationReader},
		ChangesWriter{r.ChangesReader},
		DevicesWriter{r.DevicesReader},
		FindingsWriter{r.FindingsReader},
		PasswordsWriter{r.PasswordsReader},
		DeployWriter{r.DeployReader},
		TrailWriter{r.TrailReader},
		NotifyWriter{r.NotifyReader},
		RetentionWriter{r.RetentionReader},
		ServiceWriter{r.ServiceReader},
	}
}

func (r Reader) session() *gorm.DB { return r.ServiceReader.db }

func (w Writer) session() *gorm.DB { return w.ServiceWriter.db }
