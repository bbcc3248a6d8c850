package server

import (
	"context"
	"time"

	"github.com/prometheus/client_golang/prometheus"

	"gatemap/answer"
	"gatemap/workspace"
)

// linkedSystems counts what is known of the systems that are linked.
type linkedSystems struct{ service *workspace.Service }

var (
	readingAge  = prometheus.NewDesc("gatemap_reading_age_seconds", "Age of the newest reading of a linked system.", []string{"system"}, nil)
	readingFail = prometheus.NewDesc("gatemap_readings_failed", "Readings of a linked system that failed since the newest one.", []string{"system"}, nil)
	driftItems  = prometheus.NewDesc("gatemap_drift_entitlements", "Entitlements that are held otherwise in a linked system than by the map.", []string{"system", "effect"}, nil)
	strangers   = prometheus.NewDesc("gatemap_strangers", "Accounts of a linked system that belong to nobody of the map.", []string{"system"}, nil)
)

func (l linkedSystems) Describe(ch chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{readingAge, readingFail, driftItems, strangers} {
		ch <- d
	}
}

func (l linkedSystems) Collect(ch chan<- prometheus.Metric) {
	ctx := context.Background()
	gauge := func(d *prometheus.Desc, value float64, labels ...string) {
		ch <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, value, labels...)
	}
	if all, err := l.service.Readings.List(ctx); err == nil {
		for _, x := range all.Systems {
			gauge(readingFail, float64(x.Failed), x.System)
			if x.Newest != nil {
				gauge(readingAge, time.Since(x.Newest.At).Seconds(), x.System)
				gauge(strangers, float64(x.Newest.Strangers), x.System)
			}
		}
	}
	if all, err := l.service.Readings.Drifts(ctx, "", answer.DriftAsked{Limit: 1}); err == nil {
		for _, d := range all.Drifts {
			gauge(driftItems, float64(d.Excess), d.System, "excess")
			gauge(driftItems, float64(d.Short), d.System, "short")
		}
	}
}
