package connect

import (
	"errors"
	"fmt"
	"math"
	"strconv"
	"time"

	ber "github.com/go-asn1-ber/asn1-ber"

	"gatemap/core/directory"
)

// The forms of a time besides the plain one, and the years that are believed.
const (
	tick      = 100 * time.Nanosecond
	lastYear  = 9999
	ticksFrom = -11644473600 // 1601-01-01 in seconds from 1970-01-01
)

// readDate reads a time; "" is never.
func readDate(f directory.Form, written string) (directory.Instant, error) {
	var at time.Time
	switch {
	case written == "":
		return directory.Instant{}, nil
	case f == "days" || f == "ticks":
		n, err := strconv.ParseInt(written, 10, 64)
		switch {
		case err != nil:
			return directory.Instant{}, fmt.Errorf("%q is not a number of %s", written, f)
		case f == "days" && n < 0, f == "ticks" && (n == 0 || n == math.MaxInt64):
			return directory.Instant{}, nil
		case f == "days":
			at = time.Unix(0, 0).UTC().AddDate(0, 0, int(min(n, 1<<30)))
		default:
			perSecond := int64(time.Second / tick)
			at = time.Unix(ticksFrom+n/perSecond, n%perSecond*int64(tick)).UTC()
		}
	default:
		var err error
		if at, err = time.Parse(time.RFC3339, written); err != nil {
			if at, err = ber.ParseGeneralizedTime([]byte(written)); err != nil {
				return directory.Instant{}, fmt.Errorf(
					"%q is neither a generalized time (RFC 4517) nor one as RFC 3339 has it",
					written,
				)
			}
		}
	}
	if at.Year() > lastYear || at.Year() < 0 {
		return directory.Instant{}, fmt.Errorf("%q is a time beyond the year %d", written, lastYear)
	}
	return directory.Instant{Time: at}, nil
}

// WriteDate writes a time in a form, as the value before it is written; nothing where a time that is
// never is written by leaving the attribute out. The error says what the form cannot say.
func WriteDate(f directory.Form, at directory.Instant, before string) ([]string, error) {
	switch {
	case at.IsZero() && f == "ticks":
		return []string{"0"}, nil
	case at.IsZero():
		return nil, nil
	case f == "ticks":
		perSecond := int64(time.Second / tick)
		return []string{strconv.FormatInt((at.Unix()-ticksFrom)*perSecond+int64(at.Nanosecond())/int64(tick), 10)}, nil
	case f == "days":
		const day = int64(24 * time.Hour / time.Second)
		if at.Unix()%day != 0 {
			return nil, errors.New("is written in days there: give the beginning of a day in UTC, such as 2027-01-31T00:00:00Z")
		}
		return []string{strconv.FormatInt(at.Unix()/day, 10)}, nil
	}
	if _, err := time.Parse(time.RFC3339, before); err == nil {
		return []string{at.UTC().Format(time.RFC3339)}, nil
	}
	return []string{at.UTC().Format("20060102150405Z")}, nil
}
