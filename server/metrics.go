package server

import (
	"context"
	"net/http"
	"strconv"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"gatemap/core/finding"
	"gatemap/service/query"
	"gatemap/workspace"
)

// metrics counts what the server does and shows what the map holds, in the
// Prometheus text format.
type metrics struct {
	registry *prometheus.Registry
	requests *prometheus.HistogramVec
}

func newMetrics(s *workspace.Service) *metrics {
	m := &metrics{
		registry: prometheus.NewRegistry(),
		requests: prometheus.NewHistogramVec(prometheus.HistogramOpts{
			Name: "gatemap_request_seconds", Help: "Time to answer a request.",
			Buckets: []float64{.0005, .001, .0025, .005, .01, .025, .05, .1, .25, .5, 1, 2.5, 5},
		}, []string{"method", "route", "status"}),
	}
	gauge := func(name, help string, value func(*query.Head) int) {
		m.registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: name, Help: help},
			func() float64 { return float64(value(s.Head())) }))
	}
	gauge("gatemap_revision", "Number of the revision in force.", func(h *query.Head) int { return h.Revision.Number })
	gauge("gatemap_users", "Users in the map.", func(h *query.Head) int { return h.Atlas.Book.UserCount() })
	gauge("gatemap_groups", "Groups in the map.", func(h *query.Head) int { return h.Atlas.Book.GroupCount() })
	gauge("gatemap_systems", "Systems in the map.", func(h *query.Head) int { return len(h.Atlas.Systems) })
	m.registry.MustRegister(m.requests, findings{s}, linkedSystems{s}, collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return m
}

func (m *metrics) observe(method, route string, status int, took time.Duration) {
	m.requests.WithLabelValues(method, route, strconv.Itoa(status)).Observe(took.Seconds())
}

func (m *metrics) handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{})
}

// findings counts the findings of the revision in force by severity.
type findings struct{ service *workspace.Service }

var findingsDesc = prometheus.NewDesc("gatemap_findings", "Findings in the map.", []string{"severity"}, nil)

func (f findings) Describe(ch chan<- *prometheus.Desc) { ch <- findingsDesc }

func (f findings) Collect(ch chan<- prometheus.Metric) {
	counts := map[finding.Severity]int{finding.Error: 0, finding.Warning: 0, finding.Note: 0}
	for _, x := range f.service.Head().Besides(f.service.Observed(context.Background())).Found() {
		counts[x.Severity]++
	}
	for severity, n := range counts {
		ch <- prometheus.MustNewConstMetric(findingsDesc, prometheus.GaugeValue, float64(n), string(severity))
	}
}
