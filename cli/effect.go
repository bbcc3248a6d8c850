package cli

import (
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"gatemap/answer"
	"gatemap/core/rule"
)

var effects = []string{
	string(answer.Gain),
	string(answer.Loss),
	string(answer.Changed),
	string(answer.Reroute),
	string(answer.Every),
}

var effectStyles = map[answer.Effect]style{answer.Gain: green, answer.Loss: red}

func (a *app) effect(e answer.Effect) string {
	signs := map[answer.Effect]string{
		answer.Gain:    "+ gain   ",
		answer.Loss:    "- loss   ",
		answer.Changed: "~ change ",
		answer.Reroute: "= reroute",
	}
	return a.paint(effectStyles[e], signs[e])
}

// effectWords says in what an entitlement differs.
func effectWords(x *answer.Effected) string {
	state := func(e *rule.Entitlement) string {
		if e == nil {
			return "none"
		}
		words := e.State.String()
		if e.State == rule.Depends {
			words += " " + answer.OpenIf(e.OpenIf, e.More)
		}
		if len(e.ShutBy) > 0 {
			words += " by " + joinStops(e.ShutBy)
		}
		return words
	}
	if x.Effect == answer.Reroute {
		return "  now " + joinRoutes(x.After.Routes)
	}
	before, after := state(x.Before), state(x.After)
	if before != after || x.Before == nil || x.After == nil {
		return fmt.Sprintf("  %s → %s", before, after)
	}
	switch {
	case x.Before.Breadth != x.After.Breadth:
		return fmt.Sprintf("  breadth %s → %s", x.Before.Breadth, x.After.Breadth)
	case !reflect.DeepEqual(x.Before.Reply, x.After.Reply):
		return "  " + after + ", reply " + differing(replyWords(x.Before.Reply), replyWords(x.After.Reply))
	}
	if x.After.State == rule.Depends && reflect.DeepEqual(x.Before.Claims, x.After.Claims) {
		return "  " + after + ", by a network or a window that is another now"
	}
	return "  " + after + ", claims " + differing(claimWords(x.Before.Claims), claimWords(x.After.Claims))
}

// differing says what of two sets goes, and what comes.
func differing(before, after []string) string {
	var words []string
	for _, x := range before {
		if !slices.Contains(after, x) {
			words = append(words, "-"+x)
		}
	}
	for _, x := range after {
		if !slices.Contains(before, x) {
			words = append(words, "+"+x)
		}
	}
	return strings.Join(words, " ")
}

func replyWords(reply map[string]any) (words []string) {
	for _, key := range slices.Sorted(maps.Keys(reply)) {
		words = append(words, fmt.Sprintf("%s=%v", key, reply[key]))
	}
	return words
}

func claimWords(claims map[string][]string) (words []string) {
	for _, claim := range slices.Sorted(maps.Keys(claims)) {
		for _, v := range claims[claim] {
			words = append(words, claim+"="+v)
		}
	}
	return words
}
