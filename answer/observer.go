package answer

import (
	"context"
	"strings"

	"gatemap/core/situation"
)

// Holdings answers who holds what: by the map, or as it really is.
type Holdings interface {
	Reach(ctx context.Context, user, system string, s situation.Situation) (*Reach, error)
	Why(ctx context.Context, user, system, right, object string, s situation.Situation) (*Why, error)
	Who(ctx context.Context, system, right, object string, s situation.Situation) (*Who, error)
	Compare(ctx context.Context, first, second string, s situation.Situation) (*Compare, error)
	Matrix(ctx context.Context, system, group, right string, s situation.Situation) (*Matrix, error)
}

// Observer tells what linked systems really hold.
type Observer interface {
	// Linked lists the systems that have a link, with the newest reading of each.
	Linked(ctx context.Context) (*LinkedSystems, error)
	// Observe reads a system.
	Observe(ctx context.Context, system string) (*Linked, error)
	// Drifts tells how systems differ from the map: one, or, where none is named, all that are
	// linked.
	Drifts(ctx context.Context, system string, asked DriftAsked) (*Drifts, error)
	// Really answers from the newest readings.
	Really(ctx context.Context) (Holdings, error)
	// Adopt begins a trial in which what was read of a system is what its document says; of one that
	// the map does not have yet it reads it, and makes the document.
	Adopt(ctx context.Context, trial string, a Adopting) (*Adopted, error)
}

// Adopted is a trial in which what is really there was taken into the map.
type Adopted struct {
	Trial
	Steps []Step `json:"steps,omitempty" doc:"Of a directory, what was found there, and the check of its source."`
}

// Adopting is the system whose reading is taken into the map, or a directory that is.
type Adopting struct {
	System string `json:"system" minLength:"1" doc:"The name of the system, or of the directory."`
	// Lines are those of the drift of which the trial is to be; without them it is of the whole document.
	Lines []string `json:"lines,omitempty" doc:"Only these lines of its drift, by name: a line of the map becomes as it is there for whom it names; of what is given there besides, whom it is given to. Missing: the whole document."`
	New   bool     `json:"new,omitempty" doc:"The map does not have it yet."`
	Type  string   `json:"type,omitempty" doc:"Of a new one, its gate type."`
	Link  string   `json:"link,omitempty" doc:"Of a new one, how it is reached: an address such as postgres://gatemap@db.cindervale.example/frames, or what the key link of its document says, in YAML."`
	// Directory is the address of the server of a new directory.
	Directory string `json:"directory,omitempty" doc:"Of a new directory, the address of its server, such as ldaps://dir1.cindervale.example. It is asked what it is, and how it keeps people and groups."`
}

// Named is the name of the trial in which a system is adopted, where no other is given.
func (a *Adopting) Named(trial string) string {
	if trial != "" {
		return trial
	}
	return "adopt-" + a.System
}

// Note says what such a trial is for.
func (a *Adopting) Note() string {
	if a.Directory != "" {
		return "The directory " + a.System + ", as its server has it"
	}
	if a.Lines != nil {
		return "Of what was read of " + a.System + ": " + strings.Join(a.Lines, ", ")
	}
	return "What was read of " + a.System
}
