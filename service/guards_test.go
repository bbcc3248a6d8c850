package service_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/service"
)

// What a run would empty, or make active, for too many people is held like a removal.
func TestRunsThatEmptyOrReviveAreHeld(t *testing.T) {
	list := func(title, status string, n int) string {
		var b strings.Builder
		b.WriteString("name,title,status\n")
		for i := range 40 {
			x := [2]string{"Observer", "open"}
			if i < 20 {
				x[1] = "closed"
			}
			if i < n {
				if title != "=" {
					x[0] = title
				}
				if status != "=" {
					x[1] = status
				}
			}
			fmt.Fprintf(&b, "p%d,%s,%s\n", i, x[0], x[1])
		}
		return b.String()
	}
	o := startObservatory(t, map[string]string{
		"map.yaml": "directory: club\nsource: {csv: {file: club.csv}, users: {name: name, disabled: (status=closed), attributes: {title: title}}}\n", "club.csv": list("=", "=", 0),
	})
	for _, c := range []struct{ name, content, held string }{
		{"a few titles", list("", "=", 2), ""},
		{"the titles of all", list("", "=", 40), "it would empty title for 38 of 40 people; the removal limit of the source is 5%"},
		{"accounts that come to life", list("=", "open", 20), "it would make 20 inactive accounts of 40 active"},
	} {
		o.write("club.csv", c.content)
		p := o.run("club", service.Intaking{Commit: true})
		if c.held == "" {
			assert.Equal(t, answer.RunCommitted, p.Run.State, c.name)
			continue
		}
		assert.Equal(t, answer.RunHeld, p.Run.State, c.name)
		assert.Contains(t, p.Run.Held, c.held, c.name)
	}
	assert.Equal(t, "Observer", o.attribute("p30", "title"))

	// A column that is gone is no empty column.
	o.write("club.csv", "name,titel,status\np1,x,open\n")
	p := o.run("club", service.Intaking{Commit: true, Confirm: true})
	assert.Equal(t, answer.RunFailed, p.Run.State)
	assert.Contains(t, p.Run.Error, `"title" (perhaps titel)`)
	require.Equal(t, "Observer", o.attribute("p30", "title"))
}
