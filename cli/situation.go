package cli

import (
	"context"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/situation"
)

// facts are the flags that describe a situation, by name.
type facts map[string]*string

// situationFlags adds the flags that describe a situation to a command.
func (a *app) situationFlags(cmd *cobra.Command) facts {
	facts := facts{}
	add := func(field, use string) {
		facts[field] = cmd.Flags().String(strings.ReplaceAll(field, "_", "-"), "", use)
	}
	add("from", "source address, such as 198.51.100.9")
	add("at", "time in the map's time zone: 22:00, mon 22:00, 2026-11-23, 2026-11-23 22:00, or RFC 3339")
	add("device", "properties of the device: managed,compliant or none")
	add("device-name", "a device of a directory, by name")
	add("strength", "strength of the sign-in: aal1, aal2 or aal3")
	add("access", "way into the network: vpn, wifi or wired")
	add("client", "client program: browser, native or legacy")
	add("risk", "rating of the risk: low, medium or high")
	add("via", "way to a file: share or local")
	for flag, values := range map[string][]string{
		"strength": situation.Strength("").Values(), "access": situation.Access("").Values(),
		"client": situation.Client("").Values(), "risk": situation.Risk("").Values(),
		"via": situation.Via("").Values(), "device": {"managed", "compliant", "managed,compliant", "none"},
	} {
		_ = cmd.RegisterFlagCompletionFunc(flag, cobra.FixedCompletions(values, cobra.ShellCompDirectiveNoFileComp))
	}
	_ = cmd.RegisterFlagCompletionFunc("device-name", a.names(answer.KindDevice))
	return facts
}

// situation reads the flags. A time that is not RFC 3339 is on the wall clock of the map
// that is asked.
func (a *app) situation(ctx context.Context, f facts) (situation.Situation, error) {
	return f.read(func() (*time.Location, error) {
		asker, err := a.asker(ctx)
		if err != nil {
			return nil, err
		}
		m, err := asker.Map(ctx)
		if err != nil {
			return nil, err
		}
		return time.LoadLocation(m.TimeZone)
	})
}

func (f facts) read(zone func() (*time.Location, error)) (situation.Situation, error) {
	if at := *f["at"]; at != "" {
		if _, err := time.Parse(time.RFC3339, at); err != nil {
			in, err := zone()
			if err != nil {
				return situation.Situation{}, err
			}
			t, err := situation.ReadTime(at, time.Now(), in)
			if err != nil {
				return situation.Situation{}, err
			}
			*f["at"] = t.Format(time.RFC3339)
		}
	}
	return situation.Parse(func(field string) string { return *f[strings.ReplaceAll(field, "_", "-")] })
}

// given writes the facts of a situation on one line.
func given(facts map[string]string) string {
	var parts []string
	for _, field := range situation.Fields {
		if v, ok := facts[field]; ok {
			parts = append(parts, strings.ReplaceAll(field, "_", " ")+" "+v)
		}
	}
	if parts == nil {
		return "none given"
	}
	return strings.Join(parts, ", ")
}
