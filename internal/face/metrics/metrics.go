// Package metrics tells machines how the service and the fleet stand, in the OpenMetrics text format. It names no
// device, no operator and no account.
package metrics

import (
	"context"
	"log/slog"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"rankwarden.example/internal/kit/version"
	"rankwarden.example/internal/room/reporting"
	"rankwarden.example/internal/store"
)

// Source has the figures of the fleet and of the records.
type Source interface {
	Figures(ctx context.Context) (reporting.Figures, error)
}

// Database says whether the database takes writes, and which one it is.
type Database interface {
	Ready() (ready bool, why string)
	Database() (d store.Database, epoch int64)
}

// Metrics count what one replica answers, and ask for figures when somebody reads.
type Metrics struct {
	registry *prometheus.Registry
	requests *prometheus.HistogramVec
}

// New begins to count. Certificate is when that of the service ends, zero without one.
func New(source Source, database Database, now func() time.Time, certificate time.Time, log *slog.Logger) *Metrics {
	m := &Metrics{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewHistogramVec(prometheus.HistogramOpts{
			Name:    "rankwarden_request_seconds",
			Help:    "How long requests took, by what they asked for and how they were answered.",
			Buckets: []float64{.005, .02, .05, .1, .25, .5, 1, 2.5, 10, 60},
		}, []string{"route", "method", "status"}),
	}
	build := prometheus.NewGaugeFunc(prometheus.GaugeOpts{
		Name: "rankwarden_build_info", Help: "Always 1; the version is in the label.",
		ConstLabels: prometheus.Labels{"version": version.Number()},
	}, func() float64 { return 1 })
	m.registry.MustRegister(m.requests, build, collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
		&figures{source, database, now, certificate, log})
	return m
}

// Handler answers whoever reads.
func (m *Metrics) Handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{EnableOpenMetrics: true})
}

// Count measures a request by the pattern of its route, so that no name stands in a label.
func (m *Metrics) Count(c fiber.Ctx) error {
	begun := time.Now()
	err := c.Next()
	route := c.Route().Path
	if !strings.HasPrefix(route, "/api/") && !strings.HasPrefix(route, "/device/") {
		route = "console"
	}
	class := strconv.Itoa(c.Response().StatusCode()/100) + "xx"
	m.requests.WithLabelValues(route, c.Method(), class).Observe(time.Since(begun).Seconds())
	return err
}

// figures are gathered when somebody reads.
type figures struct {
	source      Source
	database    Database
	now         func() time.Time
	certificate time.Time
	log         *slog.Logger
}

func gauge(name, help string, labels ...string) *prometheus.Desc {
	return prometheus.NewDesc("rankwarden_"+name, help, labels, nil)
}

// What is told of the fleet and of the records.
var (
	up         = gauge("database_up", "1 while the database takes writes.")
	epoch      = gauge("epoch", "Epoch of the service; a new one begins when its database goes back.")
	timeline   = gauge("database_timeline", "Timeline of the database; another one follows each promotion.")
	returns    = gauge("database_returns", "How often the database was found to have gone back.")
	mismatched = gauge("devices_mismatched", "Live devices that hold what the service never gave them.")
	frozen     = gauge("frozen", "Freezes in force: 0 while settling and rollouts go on.")
	devices    = gauge("devices", "Live devices, by how they stand.", "standing")
	findings   = gauge("findings_open", "Open findings of live devices.")
	settling   = gauge("settling_requests",
		"Changes that wait to be settled for their devices, and those that failed and are tried again.", "state")
	settlingAge  = gauge("settling_oldest_seconds", "Age of the oldest change that is not settled; 0 for none.")
	overdue      = gauge("passwords_overdue", "Passwords of live devices that should have been changed.")
	unrecovered  = gauge("passwords_unrecovered", "Current passwords without a copy sealed to a recovery key.")
	trailLast    = gauge("trail_entries", "The last entry of the audit trail.")
	trailPending = gauge("trail_unsigned_entries", "Entries behind the last checkpoint.")
	trailAge     = gauge("trail_checkpoint_age_seconds", "Age of the last checkpoint.")
	orders       = gauge("orders_waiting", "Orders that wait for their devices.")
	deliveries   = gauge("notification_deliveries", "Deliveries of notifications that wait, and those that failed.",
		"state")
	sealed      = gauge("sealed_owners_used", "Sealed owners that were used since they were sealed.")
	certificate = gauge("certificate_expires_timestamp_seconds",
		"When the certificate of the service ends, in Unix time.")
)

// Describe implements [prometheus.Collector].
func (f *figures) Describe(to chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{up, epoch, timeline, returns, mismatched, frozen, devices, findings, settling,
		settlingAge, overdue, unrecovered, trailLast, trailPending,
		trailAge, orders, deliveries, sealed, certificate} {
		to <- d
	}
}

// patience is how long figures may take.
const patience = 10 * time.Second

// Collect implements [prometheus.Collector]. Without the database it says that, and nothing that would be old.
func (f *figures) Collect(to chan<- prometheus.Metric) {
	ctx, cancel := context.WithTimeout(context.Background(), patience)
	defer cancel()
	tell := func(d *prometheus.Desc, value float64, labels ...string) {
		to <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, value, labels...)
	}
	if !f.certificate.IsZero() {
		tell(certificate, float64(f.certificate.Unix()))
	}
	if ready, why := f.database.Ready(); !ready {
		f.log.Warn("the database takes no writes", "why", why)
		tell(up, 0)
		return
	}
	now, err := f.source.Figures(ctx)
	if err != nil {
		f.log.Warn("figures could not be read", "error", err)
		tell(up, 0)
		return
	}
	tell(up, 1)
	database, number := f.database.Database()
	tell(epoch, float64(number))
	tell(timeline, float64(database.Timeline))
	tell(returns, float64(now.Returns))
	tell(mismatched, float64(now.Mismatched))
	tell(frozen, float64(now.Frozen))
	for standing, n := range now.Standings {
		tell(devices, float64(n), string(standing))
	}
	age := func(at *time.Time) float64 {
		if at == nil {
			return 0
		}
		return max(0, f.now().Sub(*at).Seconds())
	}
	tell(findings, float64(now.Findings))
	tell(settling, float64(now.SettlingWaiting), "waiting")
	tell(settling, float64(now.SettlingFailed), "failed")
	tell(settlingAge, age(now.SettlingOldest))
	tell(overdue, float64(now.Overdue))
	tell(unrecovered, float64(now.Unrecovered))
	tell(trailLast, float64(now.TrailLast))
	tell(trailPending, float64(now.TrailLast-now.TrailSigned))
	tell(trailAge, age(now.SignedAt))
	tell(orders, float64(now.OrdersWaiting))
	tell(deliveries, float64(now.DeliveriesWaiting), "waiting")
	tell(deliveries, float64(now.DeliveriesFailed), "failed")
	tell(sealed, float64(now.SealedInUse))
}
