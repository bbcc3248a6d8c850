package situation

import (
	"strings"
	"time"
)

// timeProblem says what is wrong with a time, for people.
const timeProblem = "not a time; write 22:00, mon 22:00, 2026-11-23, 2026-11-23 22:00, " +
	"or RFC 3339 such as 2026-11-23T22:00:00Z"

// ReadTime reads a point in time as people write it, on the wall clock of a zone: RFC
// 3339; a date, at its first moment; a date and a time of day; a time of day, today; a
// day of the week and a time of day, today or on the next such day. The error is a
// *FieldError.
func ReadTime(text string, now time.Time, zone *time.Location) (time.Time, error) {
	text = strings.TrimSpace(text)
	if t, err := time.Parse(time.RFC3339, text); err == nil {
		return t, nil
	}
	for _, layout := range []string{time.DateOnly, "2006-01-02 15:04", "2006-01-02T15:04"} {
		if t, err := time.ParseInLocation(layout, text, zone); err == nil {
			return t, nil
		}
	}
	now = now.In(zone)
	words := strings.Fields(text)
	days := 0
	if len(words) == 2 {
		ahead, ok := daysUntil(Day(strings.ToLower(words[0])), now.Weekday())
		if !ok {
			return time.Time{}, &FieldError{"at", text, timeProblem}
		}
		days, words = ahead, words[1:]
	}
	if len(words) == 1 {
		if clock, err := time.Parse("15:04", words[0]); err == nil {
			return time.Date(now.Year(), now.Month(), now.Day()+days, clock.Hour(), clock.Minute(), 0, 0, zone), nil
		}
	}
	return time.Time{}, &FieldError{"at", text, timeProblem}
}

// daysUntil counts the days from one day of the week to the next one called day, 0 to 6.
func daysUntil(day Day, from time.Weekday) (int, bool) {
	for i := range 7 {
		if days[(int(from)+6+i)%7] == day {
			return i, true
		}
	}
	return 0, false
}
