package situation_test

import (
	"fmt"

	"gatemap/core/name"
	"gatemap/core/situation"
)

func ExampleFrame_Compile() {
	frame := frame()
	night, _ := frame.Compile(&situation.When{Windows: []name.Ref{{Name: "night"}}}, nil, nil)
	unknown := frame.Facts(situation.Situation{}, nil)
	fmt.Println(night.Holds(unknown) == situation.Unknown, night.Needs(unknown), night.Opposites(unknown))
	// Output: true [window:night] (not-window:night)
}
