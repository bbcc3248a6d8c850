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
	readingAge = prometheus.NewDesc(
		"gatemap_reading_age_seconds",
		"Age of the newest reading of a linked system.",
		[]string{"system"},
		nil,
	)
	readingFail = prometheus.NewDesc(
		"gatemap_readings_failed",
		"Readings of a linked system that failed since the newest one.",
		[]string{"system"},
		nil,
	)
	driftItems = prometheus.NewDesc(
		"gatemap_drift_entitlements",
		"Entitlements that are held otherwise in a linked system than by the map.",
		[]string{"system", "effect"},
		nil,
	)
	deliveries = prometheus.NewDesc(
		"gatemap_delivery_failed",
		"Whether the newest delivery to a linked system failed or was cut off: 1, or 0.",
		[]string{"system"},
		nil,
	)
	waiting = prometheus.NewDesc(
		"gatemap_delivery_waiting",
		"Whether a delivery to a linked system waits for someone, or is held: 1, or 0.",
		[]string{"system"},
		nil,
	)
	deliveredAt = prometheus.NewDesc(
		"gatemap_delivery_time_seconds",
		"When the newest delivery to a linked system ended, as Unix time.",
		[]string{"system"},
		nil,
	)
	openWrites = prometheus.NewDesc(
		"gatemap_writes_open",
		"Directories to which a commit is writing, or in which what it wrote is not taken back yet.",
		nil,
		nil,
	)
	noticesSent = prometheus.NewDesc(
		"gatemap_notices_sent_total",
		"Notices that were sent to a receiver since the start.",
		[]string{"receiver"},
		nil,
	)
	noticesFail = prometheus.NewDesc(
		"gatemap_notices_failed_total",
		"Messages that could not be sent to a receiver since the start.",
		[]string{"receiver"},
		nil,
	)
	strangers = prometheus.NewDesc(
		"gatemap_strangers",
		"Accounts of a linked system that belong to nobody of the map.",
		[]string{"system"},
		nil,
	)
)

func (l linkedSystems) Describe(ch chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{readingAge, readingFail, driftItems, strangers, deliveries, waiting, deliveredAt,
		openWrites, noticesSent, noticesFail} {
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
			l.delivery(ctx, x.System, gauge)
		}
	}
	if open, err := l.service.Writes.Open(ctx); err == nil {
		gauge(openWrites, float64(open))
	}
	for receiver, c := range l.service.Notices.Counts() {
		ch <- prometheus.MustNewConstMetric(noticesSent, prometheus.CounterValue, float64(c.Sent), receiver)
		ch <- prometheus.MustNewConstMetric(noticesFail, prometheus.CounterValue, float64(c.Failed), receiver)
	}
	if all, err := l.service.Readings.Drifts(ctx, "", answer.DriftAsked{Limit: 1}); err == nil {
		for _, d := range all.Drifts {
			gauge(driftItems, float64(d.Excess), d.System, "excess")
			gauge(driftItems, float64(d.Short), d.System, "short")
		}
	}
}

// delivery tells of the newest delivery to a system that has ended.
func (l linkedSystems) delivery(ctx context.Context, system string, gauge func(*prometheus.Desc, float64, ...string)) {
	all, err := l.service.Deliveries.List(ctx, system, 10, "")
	if err != nil {
		return
	}
	if len(all.Deliveries) > 0 {
		waits := 0.0
		if all.Deliveries[0].State.Open() {
			waits = 1
		}
		gauge(waiting, waits, system)
	}
	for _, d := range all.Deliveries {
		if d.Ended == nil || d.State == answer.DeliveryDiscarded {
			continue
		}
		failed := 0.0
		if d.State == answer.DeliveryFailed || d.State == answer.DeliveryCutOff {
			failed = 1
		}
		gauge(deliveries, failed, system)
		gauge(deliveredAt, float64(d.Ended.Unix()), system)
		return
	}
}
