package answer

import (
	"strings"

	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Words are the labels of what answers tell by kind: needs, stops, lacks and fates. Where one has
// {value}, {line}, {need}, {detail} or {name}, that of the answer stands in its place. Sentences are made
// of the phrases that stand beside them in the catalogue.
type Words struct {
	Needs map[string]NeedLabels    `json:"needs" doc:"By kind of need; {value}: its values."`
	Stops map[rule.Reason]string   `json:"stops" doc:"By reason; {line}: the line at which it stops, without its system; {need}: the need that is its detail; {detail}: the detail."`
	Lacks map[rule.LackKind]string `json:"lacks" doc:"By kind of lack; {name}: what is lacking."`
	Fates map[rule.Fate]string     `json:"fates" doc:"By what becomes of a line."`
}

// NeedLabels are the labels of a kind of need.
type NeedLabels struct {
	Is  string `json:"is" doc:"It must be so."`
	Not string `json:"not" doc:"The opposite must be so."`
}

// worded is what is said of a need and of its opposite: in few words, and in a sentence.
type worded struct{ label, phrase string }

var needs = map[string]struct{ is, not worded }{
	"network": {
		worded{"from {value}", "the source address is in {value}"},
		worded{"not from {value}", "the source address is not in {value}"},
	},
	"window": {
		worded{"in window {value}", "the time is in the window {value}"},
		worded{"outside window {value}", "the time is outside the window {value}"},
	},
	"device": {
		worded{"device {value}", "the device is {value}"},
		worded{"device not {value}", "the device is not {value}"},
	},
	"device-group": {
		worded{"device in {value}", "the device is in the group {value}"},
		worded{"device not in {value}", "the device is not in the group {value}"},
	},
	"strength": {
		worded{"at least {value}", "the sign-in is at least {value}"},
		worded{"weaker than {value}", "the sign-in is weaker than {value}"},
	},
	"access": {worded{"by {value}", "the access is by {value}"}, worded{"not by {value}", "the access is not by {value}"}},
	"client": {
		worded{"client {value}", "the client is {value}"},
		worded{"client not {value}", "the client is not {value}"},
	},
	"risk": {worded{"risk {value}", "the risk is {value}"}, worded{"risk not {value}", "the risk is not {value}"}},
	"via":  {worded{"via {value}", "the way is {value}"}, worded{"not via {value}", "the way is not {value}"}},
	"before": {
		worded{"before {value}", "the time is before {value}"},
		worded{"from {value} on", "the time is {value} or later"},
	},
	"after": {
		worded{"from {value} on", "the time is {value} or later"},
		worded{"before {value}", "the time is before {value}"},
	},
	"to": {
		worded{"only to {value}", "the destination is in {value}"},
		worded{"not to {value}", "the destination is not in {value}"},
	},
	"port": {
		worded{"only port {value}", "the port is {value}"},
		worded{"not port {value}", "the port is not {value}"},
	},
}

var stops = map[rule.Reason]worded{
	rule.ByCondition:    {"only {need}", "Line {at} gives it only if {need}"},
	rule.ByInactive:     {"account inactive", "The account {at} is inactive"},
	rule.ByExpired:      {"account expired {detail}", "The account {at} expired at {detail}"},
	rule.ByPrerequisite: {"lacks {detail}", "{system} requires the attribute {detail}, which the user lacks"},
	rule.ByDeny:         {"denied by {line}", "Line {at} denies it"},
	rule.ByLimit:        {"limit {line}", "The limit {at} forbids it"},
	rule.ByFeature:      {"needs feature {detail}", "{at} needs the feature {detail}, which the user lacks"},
	rule.ByNoSeat:       {"no seat left", "{at} has no seat left"},
	rule.ByGate:         {"behind {line}", "It is behind {at}, which does not let the user through: {inner}"},
	rule.ByRule:         {"refused by {line}", "Line {at} refuses it before another line permits it"},
	rule.ByOverride:     {"own override", "The user's own override refuses it ({at})"},
	rule.ByPolicy:       {"policy {line}", "Policy {at} blocks it{because}"},
	rule.ByDoor:         {"kept out by {line}", "The folder allows it, but {at} does not"},
	rule.ByLogin:        {"no login: {line}", "The user cannot log in there: {at}{because}"},
	rule.ByAdmit:        {"not admitted by {line}", "{at} does not admit the sign-in{because}"},
	rule.BySource:       {"unknown here: {detail}", "Users of the directory {detail} are not known here ({at})"},
}

var lacks = map[rule.LackKind]string{
	rule.LackGroup: "in {name}", rule.LackUser: "is {name}", rule.LackClaim: "claim {name}", rule.LackTag: "tag {name}",
	rule.LackAttribute: "a value for {name}", rule.LackNotGroup: "not in {name}", rule.LackNotUser: "not {name}",
	rule.LackMark: "the tag {name}",
}

// fates are what becomes of a line, in few words.
var fates = map[rule.Fate]string{
	rule.Decides: "decides", rule.May: "may decide", rule.Unmet: "condition not met",
	rule.Overtaken: "another line decides", rule.Others: "for other users", rule.Elsewhere: "about something else",
	rule.Off: "switched off", rule.Watched: "only watched",
}

// Catalogue is all of the words.
func Catalogue() *Words {
	w := &Words{map[string]NeedLabels{}, map[rule.Reason]string{}, lacks, fates}
	for kind, x := range needs {
		w.Needs[kind] = NeedLabels{x.is.label, x.not.label}
	}
	for reason, x := range stops {
		w.Stops[reason] = x.label
	}
	return w
}

// NeedLabel is a need in few words: "network:summit|office" is "from summit or office".
func NeedLabel(n situation.Need) string {
	kind, values, not := n.Parts()
	x, known := wordsOf(kind, not)
	return said(known, x.label, string(n), "{value}", strings.Join(values, " or "))
}

// wordsOf is what is said of a kind of need, or of its opposite.
func wordsOf(kind string, not bool) (w worded, known bool) {
	x, known := needs[kind]
	if not {
		return x.not, known
	}
	return x.is, known
}

// StopLabel is what shuts something in few words, with the detail in brackets where they do not have it.
func StopLabel(s rule.Stop) string {
	_, line, _ := strings.Cut(s.At, "/")
	label := string(s.Reason) + " {detail}"
	if x, known := stops[s.Reason]; known {
		label = x.label
	}
	fill := strings.NewReplacer("{line}", line, "{detail}", s.Detail, "{need}", NeedLabel(situation.Need(s.Detail)))
	words := strings.TrimSpace(fill.Replace(label))
	if strings.Contains(label, "{detail}") || strings.Contains(label, "{need}") {
		return words
	}
	return words + because(s)
}

// LackLabel is what is lacking in few words.
func LackLabel(l rule.Lack) string {
	kind, name := l.Parts()
	label, known := lacks[kind]
	return said(known, label, string(l), "{name}", name)
}

// FateLabel is what becomes of a line in few words.
func FateLabel(f rule.Fate) string { return fates[f] }

// said fills in the words where they are known, and what stands for them otherwise.
func said(known bool, words, otherwise string, values ...string) string {
	if !known {
		words = otherwise
	}
	return strings.NewReplacer(values...).Replace(words)
}
