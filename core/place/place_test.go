package place_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"gatemap/core/place"
)

func TestPlacesLeaveOutWhatIsNotKnown(t *testing.T) {
	for want, p := range map[string]place.Place{
		"": {}, "a.yaml": {File: "a.yaml"}, "a.yaml:3": {File: "a.yaml", Line: 3}, "a.yaml:3:7": {File: "a.yaml", Line: 3, Column: 7},
	} {
		assert.Equal(t, want, p.String())
	}
}

func TestErrorsComeInTheOrderOfTheirPlaces(t *testing.T) {
	var errs place.Errors
	assert.NoError(t, errs.Err())
	errs.Addf(place.Place{File: "b", Line: 1}, "third")
	errs.Addf(place.Place{File: "a", Line: 9}, "second %d", 2)
	errs.Addf(place.Place{File: "a", Line: 9, Column: 0}, "second, told later")
	errs.Addf(place.Place{}, "nowhere")
	assert.EqualError(t, errs.Err(), "nowhere\na:9: second 2\na:9: second, told later\nb:1: third")
}

func ExampleErrors() {
	var errs place.Errors
	errs.Addf(place.Place{File: "systems/archive.yaml", Line: 7, Column: 5}, "unknown key %q", "grops")
	fmt.Println(errs.Err())
	// Output: systems/archive.yaml:7:5: unknown key "grops"
}
