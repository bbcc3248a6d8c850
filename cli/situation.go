package cli

import (
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/situation"
)

// situationFlags adds the flags that describe a situation to a command; what
// it returns reads them.
func (a *app) situationFlags(cmd *cobra.Command) func() (situation.Situation, error) {
	facts := map[string]*string{}
	add := func(field, use string) {
		facts[field] = cmd.Flags().String(strings.ReplaceAll(field, "_", "-"), "", use)
	}
	add("from", "source address, such as 198.51.100.9")
	add("at", "point in time (RFC 3339), such as 2026-11-23T22:00:00Z")
	add("device", "what the device is: managed,compliant or none")
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
	return func() (situation.Situation, error) {
		return situation.Parse(func(field string) string {
			return *facts[strings.ReplaceAll(field, "_", "-")]
		})
	}
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
