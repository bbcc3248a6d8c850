package situation_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/situation"
)

func TestTimesAsPeopleWriteThem(t *testing.T) {
	zone, err := time.LoadLocation("Atlantic/Canary")
	require.NoError(t, err)
	friday := time.Date(2026, 11, 27, 23, 30, 0, 0, time.UTC)
	for text, want := range map[string]string{
		"2026-11-23T22:00:00Z":      "2026-11-23T22:00:00Z",
		"2026-11-23T22:00:00+02:00": "2026-11-23T22:00:00+02:00",
		"2026-11-23":                "2026-11-23T00:00:00Z",
		"2026-07-01":                "2026-07-01T00:00:00+01:00",
		"2026-07-01 22:00":          "2026-07-01T22:00:00+01:00",
		"2026-07-01T22:00":          "2026-07-01T22:00:00+01:00",
		"22:00":                     "2026-11-27T22:00:00Z",
		" 07:30 ":                   "2026-11-27T07:30:00Z",
		"fri 22:00":                 "2026-11-27T22:00:00Z",
		"Sat 22:00":                 "2026-11-28T22:00:00Z",
		"thu 22:00":                 "2026-12-03T22:00:00Z",
	} {
		got, err := situation.ReadTime(text, friday, zone)
		require.NoError(t, err, text)
		assert.Equal(t, want, got.Format(time.RFC3339), text)
	}
	for _, text := range []string{"", "22", "25:00", "monday 22:00", "mon", "mon 22:00 x", "tomorrow", "2026-13-01"} {
		_, err := situation.ReadTime(text, friday, zone)
		var field *situation.FieldError
		require.ErrorAs(t, err, &field, text)
		assert.Equal(t, "at", field.Field)
	}
}

// A day and a time of day are within the next week, and on that day.
func TestADayOfTheWeekIsTheNextOne(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		zone, err := time.LoadLocation(
			rapid.SampledFrom([]string{"UTC", "Atlantic/Canary", "Pacific/Kiritimati"}).Draw(t, "zone"),
		)
		require.NoError(t, err)
		now := time.Unix(rapid.Int64Range(1.7e9, 1.9e9).Draw(t, "now"), 0)
		i := rapid.IntRange(0, 6).Draw(t, "day")
		at, err := situation.ReadTime(situation.Day("").Values()[i]+" 12:00", now, zone)
		require.NoError(t, err)
		assert.Equal(t, time.Weekday((i+1)%7), at.Weekday())
		today := now.In(zone)
		from := time.Date(today.Year(), today.Month(), today.Day(), 0, 0, 0, 0, zone)
		assert.False(t, at.Before(from))
		assert.True(t, at.Before(from.AddDate(0, 0, 7)))
	})
}
