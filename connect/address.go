package connect

import (
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"

	"gatemap/core/place"
)

// Parts reads what an address says after its question mark: where the secret is, as secret=env:NAME or
// secret=file:PATH, and the parts of the kind, by name.
func Parts(at *url.URL, secret **Secret, parts map[string]*string) error {
	for key, values := range at.Query() {
		kind, rest, _ := strings.Cut(values[0], ":")
		to, known := parts[key]
		switch {
		case key == "secret" && kind == "env":
			*secret = &Secret{Env: rest}
		case key == "secret" && kind == "file":
			*secret = &Secret{File: place.Text{Value: rest}}
		case known:
			*to = values[0]
		default:
			return fmt.Errorf(
				"%s=%s says nothing: there are secret=env:NAME, secret=file:PATH, %s=…",
				key,
				values[0],
				strings.Join(slices.Sorted(maps.Keys(parts)), "=…, "),
			)
		}
	}
	return nil
}

// Told are the targets of a connection that are how a server is trusted and what is told it.
func Told(t *TLS, s *Secret) (targets []string) {
	if t != nil {
		targets = append(targets, "tls "+t.CA.Value+" "+t.Name)
	}
	if s != nil {
		targets = append(targets, "secret "+s.Env+" "+s.File.Value)
	}
	return targets
}
