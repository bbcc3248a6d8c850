// Package page cuts lists into pages.
package page

import (
	"encoding/base64"
	"strconv"

	"gatemap/core/situation"
)

// Max is the most that one page of a list holds.
const Max = 1000

// cursorAt is a cursor that holds a place in a list: how many items come before a page,
// or the number of the last item on the page before.
func cursorAt(n int64) string {
	return base64.RawURLEncoding.EncodeToString([]byte(strconv.FormatInt(n, 10)))
}

// Next is the cursor of the page after one that begins at from and has count of
// total items; empty after the last.
func Next(from, count, total int) string {
	if count == 0 || from+count >= total {
		return ""
	}
	return cursorAt(int64(from + count))
}

// Read reads a cursor; an empty one is 0.
func Read(cursor string) (int, error) {
	if cursor == "" {
		return 0, nil
	}
	raw, err := base64.RawURLEncoding.DecodeString(cursor)
	n, numberErr := strconv.Atoi(string(raw))
	if err != nil || numberErr != nil || n < 0 {
		return 0, &situation.FieldError{
			Field:   "cursor",
			Value:   cursor,
			Problem: "not a cursor of this list; leave it out for the first page",
		}
	}
	return n, nil
}

// Cut cuts a list, of which one more than limit was fetched, down to limit; next is the
// cursor of the page after it.
func Cut[T any](list []T, limit int, number func(*T) int64) (items []T, next string) {
	if len(list) <= limit {
		return list, ""
	}
	return list[:limit], cursorAt(number(&list[limit-1]))
}
