package sorted_test

import (
	"cmp"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"gatemap/core/sorted"
)

func TestBeside(t *testing.T) {
	for _, c := range []struct {
		x, y []int
		want []string
	}{
		{nil, nil, nil},
		{[]int{1, 2}, nil, []string{"1 -", "2 -"}},
		{nil, []int{1, 2}, []string{"- 1", "- 2"}},
		{[]int{1, 3, 4}, []int{2, 3, 5}, []string{"1 -", "- 2", "3 3", "4 -", "- 5"}},
	} {
		var got []string
		of := func(n *int) string {
			if n == nil {
				return "-"
			}
			return fmt.Sprint(*n)
		}
		sorted.Beside(c.x, c.y,
			func(x, y *int) int { return cmp.Compare(*x, *y) },
			func(x, y *int) { got = append(got, of(x)+" "+of(y)) })
		assert.Equal(t, c.want, got)
	}
}
