// Package sorted goes through lists that are in order.
package sorted

// Beside goes through two lists in the same order side by side. What stands in one alone is visited
// with nil for the other.
func Beside[T any](x, y []T, compare func(x, y *T) int, visit func(x, y *T)) {
	for len(x) > 0 || len(y) > 0 {
		order := 0
		switch {
		case len(y) == 0:
			order = -1
		case len(x) == 0:
			order = 1
		default:
			order = compare(&x[0], &y[0])
		}
		switch {
		case order < 0:
			visit(&x[0], nil)
			x = x[1:]
		case order > 0:
			visit(nil, &y[0])
			y = y[1:]
		default:
			visit(&x[0], &y[0])
			x, y = x[1:], y[1:]
		}
	}
}
