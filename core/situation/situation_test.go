package situation_test

import (
	"encoding/json"
	"fmt"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/name"
	"gatemap/core/name/nametest"
	"gatemap/core/situation"
)

func at(t *testing.T, s string) time.Time {
	t.Helper()
	instant, err := time.Parse(time.RFC3339, s)
	require.NoError(t, err)
	return instant
}

func zone(t testing.TB, name string) *time.Location {
	t.Helper()
	z, err := time.LoadLocation(name)
	require.NoError(t, err)
	return z
}

var everyDay = []situation.Day{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}

func TestWindows(t *testing.T) {
	night := situation.Window{Days: everyDay, From: 18 * 60, To: 7 * 60}
	weekend := situation.Window{Days: []situation.Day{"fri", "sat"}, From: 22 * 60, To: 4 * 60}
	workday := situation.Window{Days: everyDay[:5], From: 8 * 60, To: 18 * 60}
	sunday := situation.Window{Days: everyDay[6:], From: 6 * 60, To: 6 * 60}
	for _, c := range []struct {
		name   string
		window situation.Window
		zone   string
		at     string
		want   bool
	}{
		{"starts on the minute", night, "Atlantic/Canary", "2026-11-23T18:00:00Z", true},
		{"holds past midnight", night, "Atlantic/Canary", "2026-11-24T06:59:59Z", true},
		{"ends before its end", night, "Atlantic/Canary", "2026-11-24T07:00:00Z", false},
		{"reads the wall clock in summer", night, "Atlantic/Canary", "2026-07-01T17:00:00Z", true},
		{"belongs to the day on which it starts", weekend, "UTC", "2026-11-29T03:59:00Z", true}, // Saturday's, on a Sunday
		{"does not belong to the day into which it runs", weekend, "UTC", "2026-11-27T03:59:00Z", false},
		{"does not start on another day", weekend, "UTC", "2026-11-29T22:30:00Z", false},
		{"does not wrap when it need not", workday, "UTC", "2026-11-23T07:59:00Z", false},
		{"leaves out the weekend", workday, "UTC", "2026-11-28T12:00:00Z", false},
		{"runs a whole day when its ends are equal", sunday, "UTC", "2026-11-30T05:59:00Z", true},
		{"ends after that day", sunday, "UTC", "2026-11-30T06:00:00Z", false},
		// In Lisbon the clock goes from 01:00 to 02:00 on 29 March 2026, and from
		// 02:00 back to 01:00 on 25 October.
		{"holds up to a skipped hour", situation.Window{Days: everyDay, From: 0, To: 90}, "Europe/Lisbon", "2026-03-29T00:59:00Z", true},
		{"is over where the clock skips its end", situation.Window{Days: everyDay, From: 0, To: 90}, "Europe/Lisbon", "2026-03-29T01:00:00Z", false},
		{"holds in the first of a doubled hour", situation.Window{Days: everyDay, From: 60, To: 90}, "Europe/Lisbon", "2026-10-25T00:15:00Z", true},
		{"holds in the second of a doubled hour", situation.Window{Days: everyDay, From: 60, To: 90}, "Europe/Lisbon", "2026-10-25T01:15:00Z", true},
		{"does not hold between the two", situation.Window{Days: everyDay, From: 60, To: 90}, "Europe/Lisbon", "2026-10-25T00:45:00Z", false},
		{"keeps the night through a clock change", night, "Europe/Lisbon", "2026-10-25T06:59:00Z", true},
	} {
		t.Run(c.name, func(t *testing.T) {
			assert.Equal(t, c.want, c.window.Contains(at(t, c.at), zone(t, c.zone)))
		})
	}
}

// A window holds at a minute of the wall clock exactly where a plain list of
// the week's minutes says so.
func TestWindowsAgreeWithAListOfMinutes(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w := situation.Window{
			From: situation.TimeOfDay(rapid.IntRange(0, 1439).Draw(t, "from")),
			To:   situation.TimeOfDay(rapid.IntRange(0, 1440).Draw(t, "to")),
		}
		const week = 7 * 1440
		var minutes [week]bool
		for day := range 7 {
			if !rapid.Bool().Draw(t, "day") {
				continue
			}
			w.Days = append(w.Days, everyDay[day])
			length := int(w.To - w.From)
			if length <= 0 {
				length += 1440
			}
			for m := range length {
				minutes[(day*1440+int(w.From)+m)%week] = true
			}
		}
		m := rapid.IntRange(0, week-1).Draw(t, "minute")
		instant := time.Date(2026, 11, 23, 0, m, 0, 0, time.UTC) // a Monday
		if w.Contains(instant, time.UTC) != minutes[m] {
			t.Fatalf("%+v at minute %d", w, m)
		}
	})
}

func TestTimeOfDay(t *testing.T) {
	for written, want := range map[string]int{"00:00": 0, "07:30": 450, "24:00": 1440} {
		var got situation.TimeOfDay
		require.NoError(t, got.UnmarshalText([]byte(written)))
		assert.EqualValues(t, want, got)
		back, _ := got.MarshalText()
		assert.Equal(t, written, string(back))
	}
	for _, bad := range []string{"", "7:30", "07:60", "24:01", "07.30", "ab:cd", "07:300"} {
		var got situation.TimeOfDay
		assert.Error(t, got.UnmarshalText([]byte(bad)), bad)
	}
}

func frame() *situation.Frame {
	return &situation.Frame{
		Zone: time.UTC,
		Networks: []situation.Network{
			{Name: "office", Prefixes: []netip.Prefix{netip.MustParsePrefix("203.0.113.0/24")}},
			{
				Name:     "summit",
				Prefixes: []netip.Prefix{netip.MustParsePrefix("198.51.100.0/25"), netip.MustParsePrefix("2001:db8:51::/48")},
			},
		},
		Windows: []situation.Window{{Name: "night", Days: everyDay, From: 18 * 60, To: 7 * 60}},
	}
}

func compile(t require.TestingT, w *situation.When) situation.Condition {
	c, whole := frame().Compile(w,
		func(r name.Ref) (uint32, string, bool) { return 7, "cindervale/" + r.Name, r.Name == "control-room" },
		func(string, name.Ref, []string) {})
	require.True(t, whole)
	return c
}

func facts(t require.TestingT, pairs ...string) *situation.Facts {
	given := map[string]string{}
	for i := 0; i < len(pairs); i += 2 {
		given[pairs[i]] = pairs[i+1]
	}
	s, err := situation.Parse(func(f string) string { return given[f] })
	require.NoError(t, err)
	var device *situation.Device
	if s.DeviceName != "" {
		device = &situation.Device{
			Managed:   situation.True,
			Compliant: situation.Unknown,
			InGroup:   func(g uint32) bool { return g == 7 && s.DeviceName == "dome-console-1" },
		}
	}
	return frame().Facts(s, device)
}

func TestConditions(t *testing.T) {
	for _, c := range []struct {
		name     string
		when     situation.When
		facts    []string
		want     situation.Truth
		needs    []situation.Need
		opposite []situation.Need
		unmet    []situation.Need
	}{
		{"nothing asked always holds", situation.When{}, nil, situation.True, nil, nil, nil},
		{"no address is unknown", situation.When{Networks: nametest.Refs("summit", "office")}, nil, situation.Unknown,
			[]situation.Need{"network:summit|office"}, []situation.Need{"not-network:summit|office"}, nil},
		{"any of the networks is enough", situation.When{Networks: nametest.Refs("summit", "office")}, []string{"from", "203.0.113.9"}, situation.True, nil, nil, nil},
		{"IPv6 counts", situation.When{Networks: nametest.Refs("SUMMIT")}, []string{"from", "2001:db8:51::9"}, situation.True, nil, nil, nil},
		{"an IPv4 address in IPv6 form is that address", situation.When{Networks: nametest.Refs("summit")}, []string{"from", "::ffff:198.51.100.9"}, situation.True, nil, nil, nil},
		{"outside is a no", situation.When{Networks: nametest.Refs("summit")}, []string{"from", "198.51.100.128"}, situation.False, nil, nil, []situation.Need{"network:summit"}},
		{"not in any of them", situation.When{NotNetworks: nametest.Refs("office")}, nil, situation.Unknown,
			[]situation.Need{"not-network:office"}, []situation.Need{"network:office"}, nil},
		{"in one that is barred", situation.When{NotNetworks: nametest.Refs("office", "summit")}, []string{"from", "203.0.113.9"}, situation.False, nil, nil, []situation.Need{"not-network:office|summit"}},
		{"only what is unknown is needed", situation.When{Networks: nametest.Refs("summit"), Windows: nametest.Refs("night")}, []string{"from", "198.51.100.1"}, situation.Unknown,
			[]situation.Need{"window:night"}, []situation.Need{"not-window:night"}, nil},
		{"a no outweighs an unknown", situation.When{Networks: nametest.Refs("summit"), Windows: nametest.Refs("night")}, []string{"from", "203.0.113.1"}, situation.False, nil, nil, []situation.Need{"network:summit"}},
		{"every property is asked for", situation.When{Device: []situation.Property{"managed", "compliant"}}, nil, situation.Unknown,
			[]situation.Need{"device:managed", "device:compliant"}, []situation.Need{"not-device:managed", "not-device:compliant"}, nil},
		{"a property not listed is false", situation.When{Device: []situation.Property{"managed", "compliant"}}, []string{"device", "managed"}, situation.False, nil, nil, []situation.Need{"device:compliant"}},
		{"none is a list", situation.When{Device: []situation.Property{"managed"}}, []string{"device", "none"}, situation.False, nil, nil, []situation.Need{"device:managed"}},
		{"a named device brings what is known of it", situation.When{Device: []situation.Property{"managed", "compliant"}}, []string{"device_name", "loaner-7"}, situation.Unknown,
			[]situation.Need{"device:compliant"}, []situation.Need{"not-device:compliant"}, nil},
		{"given properties stand before those", situation.When{Device: []situation.Property{"managed"}}, []string{"device_name", "loaner-7", "device", "none"}, situation.False, nil, nil, []situation.Need{"device:managed"}},
		{"a device in the group", situation.When{DeviceGroups: nametest.Refs("control-room")}, []string{"device_name", "dome-console-1"}, situation.True, nil, nil, nil},
		{"a device not in it", situation.When{DeviceGroups: nametest.Refs("control-room")}, []string{"device_name", "loaner-7"}, situation.False, nil, nil, []situation.Need{"device-group:cindervale/control-room"}},
		{"no device named", situation.When{DeviceGroups: nametest.Refs("control-room")}, []string{"device", "managed"}, situation.Unknown,
			[]situation.Need{"device-group:cindervale/control-room"}, []situation.Need{"not-device-group:cindervale/control-room"}, nil},
		{"strength is a least", situation.When{Strength: []situation.Strength{"aal2"}}, []string{"strength", "aal3"}, situation.True, nil, nil, nil},
		{"too weak", situation.When{Strength: []situation.Strength{"aal2"}}, []string{"strength", "aal1"}, situation.False, nil, nil, []situation.Need{"strength:aal2"}},
		{"the opposite of a risk is the rest", situation.When{Risk: []situation.Risk{"high"}}, nil, situation.Unknown,
			[]situation.Need{"risk:high"}, []situation.Need{"risk:low|medium"}, nil},
		{"every risk has no rest", situation.When{Risk: []situation.Risk{"low", "medium", "high"}}, nil, situation.Unknown,
			[]situation.Need{"risk:low|medium|high"}, nil, nil},
		{"clients and access", situation.When{Clients: []situation.Client{"browser", "native"}, Access: []situation.Access{"vpn"}}, []string{"client", "native"}, situation.Unknown,
			[]situation.Need{"access:vpn"}, []situation.Need{"not-access:vpn"}, nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			condition := compile(t, &c.when)
			f := facts(t, c.facts...)
			assert.Equal(t, c.want, condition.Holds(f))
			assert.Equal(t, c.unmet, condition.Unmet(f))
			if c.want == situation.Unknown {
				assert.Equal(t, c.needs, condition.Needs(f))
				var opposite []situation.Need
				list, _ := condition.Opposites(f).Minimal()
				for _, way := range situation.Needs(list) {
					opposite = append(opposite, way...)
				}
				assert.ElementsMatch(t, c.opposite, opposite)
			}
		})
	}
}

// Whatever is left out: a condition that holds does so in every completion, and
// one that fails holds in none.
func TestUnknownIsNeitherYesNorNo(t *testing.T) {
	values := map[string][]string{
		"from": {"198.51.100.1", "203.0.113.1", "192.0.2.1"}, "at": {"2026-11-23T12:00:00Z", "2026-11-23T22:00:00Z"},
		"device": {"none", "managed", "managed,compliant"}, "strength": {"aal1", "aal2"}, "risk": {"low", "high"},
	}
	fields := []string{"from", "at", "device", "strength", "risk"}
	rapid.Check(t, func(t *rapid.T) {
		var w situation.When
		if rapid.Bool().Draw(t, "networks") {
			w.Networks = nametest.Refs(rapid.SampledFrom([]string{"summit", "office"}).Draw(t, "network"))
		}
		if rapid.Bool().Draw(t, "windows") {
			w.Windows = nametest.Refs("night")
		}
		if rapid.Bool().Draw(t, "device") {
			w.Device = []situation.Property{"managed"}
		}
		if rapid.Bool().Draw(t, "strength") {
			w.Strength = []situation.Strength{"aal2"}
		}
		if rapid.Bool().Draw(t, "risk") {
			w.Risk = []situation.Risk{"high"}
		}
		condition := compile(t, &w)
		var some, all []string
		for _, f := range fields {
			v := rapid.SampledFrom(values[f]).Draw(t, f)
			all = append(all, f, v)
			if rapid.Bool().Draw(t, f+" given") {
				some = append(some, f, v)
			}
		}
		partial, full := condition.Holds(facts(t, some...)), condition.Holds(facts(t, all...))
		if full == situation.Unknown || partial != situation.Unknown && partial != full {
			t.Fatalf("%+v: %v with %v, %v with %v", w, partial, some, full, all)
		}
		if partial == situation.Unknown && len(condition.Needs(facts(t, some...))) == 0 {
			t.Fatal("unknown, but nothing is needed")
		}
	})
}

func TestNamesThatLeadToNothing(t *testing.T) {
	var missed []string
	c, whole := frame().Compile(&situation.When{Networks: nametest.Refs("sumit", "office"), Windows: nametest.Refs("night", "nigt")},
		nil, func(kind string, r name.Ref, near []string) { missed = append(missed, fmt.Sprint(kind, r.Name, near)) })
	assert.False(t, whole)
	assert.True(t, c.Always(), "clauses with such a name are left out")
	assert.Equal(t, []string{"networksumit[summit]", "windownigt[night]"}, missed)
}

func TestParseRefuses(t *testing.T) {
	for field, values := range map[string][]string{
		"from": {"198.51.100", "summit", "198.51.100.0/24"}, "at": {"noon", "2026-11-23", "2026-11-23T22:00:00"},
		"device": {"good", "managed,none"}, "strength": {"2", "AAL2"}, "access": {"wlan"}, "client": {"phone"}, "risk": {"none"}, "via": {"door"},
	} {
		for _, v := range values {
			_, err := situation.Parse(func(f string) string {
				if f == field {
					return v
				}
				return ""
			})
			require.Error(t, err, v)
			assert.ErrorContains(t, err, fmt.Sprintf("%s %q", field, v))
		}
	}
}

func TestSituationGoesThroughJSON(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		given := map[string]string{}
		for f, vs := range map[string][]string{
			"from": {"198.51.100.9", "2001:db8::9"}, "at": {"2026-11-23T22:00:00Z", "2026-11-23T22:00:00+01:00"}, "device": {"none", "managed", "managed,compliant"},
			"device_name": {"loaner-7"}, "strength": {"aal2"}, "access": {"wifi"}, "client": {"legacy"}, "risk": {"low"}, "via": {"local"},
		} {
			if rapid.Bool().Draw(t, f) {
				given[f] = rapid.SampledFrom(vs).Draw(t, f+" value")
			}
		}
		s, err := situation.Parse(func(f string) string { return given[f] })
		if err != nil {
			t.Fatal(err)
		}
		assert.Equal(t, given, s.Facts())
		written, _ := json.Marshal(s)
		var back situation.Situation
		if err := json.Unmarshal(written, &back); err != nil || !assert.Equal(t, given, back.Facts()) {
			t.Fatalf("%s: %v", written, err)
		}
	})
}

func TestRanges(t *testing.T) {
	var r situation.Range
	require.NoError(t, r.UnmarshalText([]byte("198.51.100.9")))
	assert.Equal(t, "198.51.100.9/32", r.String())
	for _, bad := range []string{"198.51.100.9/25", "summit", "198.51.100.0/33", ""} {
		assert.Error(t, r.UnmarshalText([]byte(bad)), bad)
	}
}
