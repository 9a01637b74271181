package api

import "time"

// NotificationTarget is where notifications go, without its secret.
type NotificationTarget struct {
	Name        string     `json:"name"`
	Kind        string     `json:"kind" enum:"webhook,syslog,mail"`
	Address     string     `json:"address"`
	Events      []string   `json:"events" nullable:"false" doc:"Kinds of events that it is told of"`
	Groups      []string   `json:"groups" nullable:"false" doc:"Only of devices in these groups, and of what is about no device; empty for every device"`
	Enabled     bool       `json:"enabled"`
	From        string     `json:"from" doc:"Of mail"`
	To          []string   `json:"to" nullable:"false" doc:"Of mail"`
	User        string     `json:"user" doc:"With which the mail server is signed in to"`
	HasPassword bool       `json:"has_password" doc:"A password of the mail server is stored"`
	CA          string     `json:"ca" doc:"Certificates in PEM that are trusted instead of the system's"`
	CreatedBy   string     `json:"created_by"`
	CreatedAt   time.Time  `json:"created_at"`
	Version     int64      `json:"version" doc:"Send it as If-Match to edit or delete"`
	Waiting     int        `json:"waiting" doc:"Deliveries that wait"`
	Failed      int        `json:"failed" doc:"Deliveries that were given up; they can be sent again"`
	Failures    int        `json:"failures" doc:"Attempts in a row that failed"`
	Error       string     `json:"error" doc:"Why the last attempt failed; empty where it did not"`
	NextAttempt *time.Time `json:"next_attempt" doc:"When it is tried again after failures"`
	DeliveredAt *time.Time `json:"delivered_at" doc:"When the last delivery arrived"`
}

// NewNotificationTarget is a target with the secret that signs a webhook's requests.
type NewNotificationTarget struct {
	NotificationTarget
	Secret string `json:"secret" doc:"Verifies the signatures of requests (RFC 9421, hmac-sha256); shown this once, empty where none was made"`
}

// NotificationTargetSpec is what an owner says of a target.
type NotificationTargetSpec struct {
	Kind      string   `json:"kind" enum:"webhook,syslog,mail"`
	Address   string   `json:"address" minLength:"1" maxLength:"2000" doc:"https://..., tls://HOST:PORT or tcp://HOST:PORT for syslog, smtp://HOST:PORT, smtps://HOST:PORT or smtp+clear://HOST:PORT"`
	Events    []string `json:"events" minItems:"1" maxItems:"40" nullable:"false"`
	Groups    []string `json:"groups,omitempty" maxItems:"50" nullable:"false"`
	Enabled   bool     `json:"enabled"`
	From      string   `json:"from,omitempty" maxLength:"320"`
	To        []string `json:"to,omitempty" maxItems:"50" nullable:"false"`
	User      string   `json:"user,omitempty" maxLength:"320"`
	Password  *string  `json:"password,omitempty" minLength:"1" maxLength:"1024" doc:"Of the mail server; the stored one stays when left out"`
	CA        string   `json:"ca,omitempty" maxLength:"100000"`
	NewSecret bool     `json:"new_secret,omitempty" doc:"Make a new secret for a webhook; the old one ends at once"`
}

// Delivery is a notification on its way to a target, or there.
type Delivery struct {
	ID        int64      `json:"id"`
	Target    string     `json:"target"`
	State     string     `json:"state" enum:"waiting,delivered,failed"`
	Attempts  int        `json:"attempts"`
	Error     string     `json:"error" doc:"Why the last attempt failed"`
	Event     string     `json:"event" doc:"Kind of the event"`
	EventID   string     `json:"event_id" doc:"The same at each attempt"`
	Subject   string     `json:"subject"`
	Message   string     `json:"message"`
	At        time.Time  `json:"at" doc:"When it happened"`
	CreatedAt time.Time  `json:"created_at"`
	EndedAt   *time.Time `json:"ended_at" doc:"When it arrived or was given up"`
}

// TargetTest is what came of a test of a target.
type TargetTest struct {
	Arrived bool   `json:"arrived"`
	Error   string `json:"error" doc:"Why it did not arrive"`
}

// SentAgain is how many failed deliveries wait again.
type SentAgain struct {
	Deliveries int `json:"deliveries"`
}
