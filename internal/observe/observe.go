// Package observe shows what the program does while it runs: a log whose level is a flag, a line for every request, statements of the
// database that take long, figures for Prometheus, and profiles on a loopback port of their own.
package observe

import (
	"context"
	"expvar"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/pprof"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// Figures are what is counted and measured of a process.
type Figures struct {
	registry   *prometheus.Registry
	requests   *prometheus.HistogramVec
	jobs       *prometheus.HistogramVec
	statements prometheus.Histogram
}

// NewFigures begins to count, Go's own figures among them.
func NewFigures() *Figures {
	f := &Figures{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewHistogramVec(prometheus.HistogramOpts{
			Namespace: "zestyloom", Name: "request_seconds", Help: "Requests by route and status, and how long each took.", Buckets: []float64{.003, .01, .03, .1, .3, 1, 3, 10},
		}, []string{"route", "status"}),
		jobs: prometheus.NewHistogramVec(prometheus.HistogramOpts{
			Namespace: "zestyloom", Name: "job_seconds", Help: "Jobs by kind and how they ended, and how long each took.", Buckets: []float64{.1, 1, 10, 60, 300, 1800, 7200},
		}, []string{"kind", "ended"}),
		statements: prometheus.NewHistogram(prometheus.HistogramOpts{
			Namespace: "zestyloom", Name: "statement_seconds", Help: "Statements of the database, and how long each took.", Buckets: []float64{.001, .003, .01, .03, .1, .3, 1, 3},
		}),
	}
	f.registry.MustRegister(f.requests, f.jobs, f.statements, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return f
}

// Gauge has a figure asked for whenever the figures are read.
func (f *Figures) Gauge(name, help string, value func() float64) {
	f.registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Namespace: "zestyloom", Name: name, Help: help}, value))
}

// Job counts a job that has ended. It is called on a nil Figures, too, and counts nothing then.
func (f *Figures) Job(kind, ended string, took time.Duration) {
	if f != nil {
		f.jobs.WithLabelValues(kind, ended).Observe(took.Seconds())
	}
}

// Handler gives the figures out in the form that Prometheus reads.
func (f *Figures) Handler() http.Handler {
	return promhttp.HandlerFor(f.registry, promhttp.HandlerOpts{})
}

// Level is a log level by its name: debug, info, warn or error.
func Level(name string) (level slog.Level, err error) {
	if err := level.UnmarshalText([]byte(name)); err != nil {
		return level, fmt.Errorf("--log-level %s: debug, info, warn or error was expected", name)
	}
	return level, nil
}

// Logger writes a line of names and values for each event from a level on.
func Logger(w io.Writer, level slog.Level) *slog.Logger {
	return slog.New(slog.NewTextHandler(w, &slog.HandlerOptions{Level: level}))
}

// Profiles serves pprof and expvar at a loopback address until ctx ends: they show what is in memory, hence never with the application.
func Profiles(ctx context.Context, address string) (net.Addr, error) {
	l, err := net.Listen("tcp", address)
	if err != nil {
		return nil, fmt.Errorf("can't show profiles on %s: %w", address, err)
	}
	mux := http.NewServeMux()
	mux.HandleFunc("/debug/pprof/", pprof.Index)
	mux.HandleFunc("/debug/pprof/cmdline", pprof.Cmdline)
	mux.HandleFunc("/debug/pprof/profile", pprof.Profile)
	mux.HandleFunc("/debug/pprof/symbol", pprof.Symbol)
	mux.HandleFunc("/debug/pprof/trace", pprof.Trace)
	mux.Handle("/debug/vars", expvar.Handler())
	srv := &http.Server{Handler: mux, ReadHeaderTimeout: 10 * time.Second}
	go func() { _ = srv.Serve(l) }() // until it is closed
	context.AfterFunc(ctx, func() { _ = srv.Close() })
	return l.Addr(), nil
}
