package rights

import (
	"context"
	"strings"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/store"
)

// Settings are the settings of the service.
func (s *Rights) Settings(ctx context.Context) (*answer.Settings, error) {
	two, err := s.store.Setting(ctx, settingTwoPersons)
	if err != nil {
		return nil, err
	}
	connect, err := s.store.Setting(ctx, settingConnect)
	return &answer.Settings{TwoPersons: two == "on", Connect: append([]string{}, strings.Fields(connect)...)}, err
}

// The names of settings.
const (
	settingTwoPersons = "two-persons"
	settingConnect    = "connect"
)

// ChangeSettings writes settings. A version that is not 0 must be that of the settings as
// they are, else the error is an *answer.MovedError.
func (s *Rights) ChangeSettings(
	ctx context.Context,
	by operator.Actor,
	version int,
	in answer.SettingsChange,
) (*answer.Settings, error) {
	s.history.Lock()
	defer s.history.Unlock()
	now, err := s.Settings(ctx)
	if err != nil {
		return nil, err
	}
	if version != 0 && version != now.Version() {
		return nil, &answer.MovedError{Message: "the settings have changed: read them again"}
	}
	values := map[string]string{}
	var entries []store.Entry
	set := func(name, value string) {
		values[name] = value
		entries = append(entries, audit.Of(by, "setting", name, audit.Done, value))
	}
	if in.TwoPersons != nil {
		set(settingTwoPersons, map[bool]string{true: "on", false: "off"}[*in.TwoPersons])
	}
	if in.Connect != nil {
		for i, named := range in.Connect {
			o, known, err := s.store.Operator(ctx, named)
			if err != nil {
				return nil, err
			}
			if !known {
				return nil, answer.Invalid("connect", named, "there is no such operator")
			}
			in.Connect[i] = o.Name
		}
		set(settingConnect, strings.Join(in.Connect, " "))
	}
	if err := s.store.Set(ctx, values, entries...); err != nil {
		return nil, err
	}
	return s.Settings(ctx)
}
