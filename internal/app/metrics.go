package app

import (
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net/http"
	"time"

	"rankwarden.example/internal/face/metrics"
	"rankwarden.example/internal/kit/supervise"
)

// measure begins to count requests, and lets machines read how all stands where an address is given for that.
func (s *Server) measure(c Config) error {
	ends, err := c.CertificateEnds()
	if err != nil {
		return err
	}
	s.metrics = metrics.New(s.Reporting, s.presence, c.Now, ends, s.log)
	if c.MetricsListen == "" {
		return nil
	}
	bound, err := c.bind(c.MetricsListen)
	if err != nil {
		return err
	}
	scheme := c.scheme()
	s.MetricsURL = scheme + "://" + bound.Addr().String() + "/metrics"
	mux := http.NewServeMux()
	mux.Handle("GET /metrics", s.metrics.Handler())
	s.readers = &http.Server{Handler: mux, ReadHeaderTimeout: time.Minute}
	supervise.Go(s.log, "metrics", func() {
		if err := s.readers.Serve(bound); !errors.Is(err, http.ErrServerClosed) {
			s.log.Error("metrics are not served any more", "error", err)
		}
	})
	return nil
}

// CertificateEnds is when the certificate of the service does, zero without one.
func (c Config) CertificateEnds() (time.Time, error) {
	if c.TLSCert == "" {
		return time.Time{}, nil
	}
	pair, err := tls.LoadX509KeyPair(c.TLSCert, c.TLSKey)
	if err != nil {
		return time.Time{}, fmt.Errorf("%w: reading the certificate: %w", ErrConfig, err)
	}
	leaf, err := x509.ParseCertificate(pair.Certificate[0])
	if err != nil {
		return time.Time{}, fmt.Errorf("%w: reading the certificate: %w", ErrConfig, err)
	}
	return leaf.NotAfter, nil
}
