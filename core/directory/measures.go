package directory

import (
	"fmt"
	"strconv"
	"strings"
	"time"
)

// Percent is a share from 0 to 100 %, written with its sign: 5%, 2.5%.
type Percent float64

// UnmarshalText reads a share.
func (p *Percent) UnmarshalText(text []byte) error {
	digits, signed := strings.CutSuffix(string(text), "%")
	v, err := strconv.ParseFloat(strings.TrimSpace(digits), 64)
	switch {
	case err != nil || !(0 <= v && v <= 100):
		return fmt.Errorf("%q is not a percentage from 0%% to 100%%, such as 5%%", text)
	case !signed:
		return fmt.Errorf("write %s%% for %s percent", digits, digits)
	}
	*p = Percent(v)
	return nil
}

// MarshalText gives back what UnmarshalText reads.
func (p Percent) MarshalText() ([]byte, error) { return []byte(p.String()), nil }

// String writes the share as it is written in a map.
func (p Percent) String() string { return strconv.FormatFloat(float64(p), 'f', -1, 64) + "%" }

// Exceeded says whether n of all is more than the share.
func (p Percent) Exceeded(n, all int) bool { return float64(n)*100 > float64(p)*float64(all) }

// Span is a length of time; the zero Span is "not said".
type Span struct{ time.Duration }

// UnmarshalText reads a positive length such as 90s, 15m or 6h.
func (s *Span) UnmarshalText(text []byte) error {
	d, err := time.ParseDuration(string(text))
	if err != nil || d <= 0 {
		return fmt.Errorf("%q is not a length of time such as 90s, 15m or 6h", text)
	}
	s.Duration = d
	return nil
}

// MarshalText gives back what UnmarshalText reads, without parts that are nothing: 1h, not 1h0m0s.
func (s Span) MarshalText() ([]byte, error) { return []byte(s.String()), nil }

// String writes the length as it is written in a map.
func (s Span) String() string {
	text := s.Duration.String()
	if strings.HasSuffix(text, "m0s") {
		text = strings.TrimSuffix(text, "0s")
	}
	if strings.HasSuffix(text, "h0m") {
		text = strings.TrimSuffix(text, "0m")
	}
	return text
}

// Or is the span, or another where none was said.
func (s Span) Or(other time.Duration) time.Duration {
	if s.Duration == 0 {
		return other
	}
	return s.Duration
}
