package edit_test

import (
	"fmt"

	"zestyloom/core/edit"
	"zestyloom/core/reel"
)

// One cut of a take on two tracks: clips of one tie are cut together, and what is behind the cut is tied anew.
func ExamplePlan() {
	r := reel.New()
	for i, label := range []string{"Boom", "Lav Ines"} {
		clip := reel.Clip{ID: fmt.Sprint("clip", i), Strands: []string{fmt.Sprint("strand", i)}, Name: "21A-3", Length: 48000, Tie: "21A-3"}
		r.Tracks = append(r.Tracks, reel.Track{ID: fmt.Sprint("track", i), Label: label, Layout: "mono", Clips: []reel.Clip{clip}})
	}
	n := 0
	planned, err := edit.Plan(r, []edit.Action{{Cut: &edit.Cut{Clips: []string{"clip0"}, At: 12000}}}, edit.Context{
		NewID:  func() string { n++; return fmt.Sprint("new", n) },
		Frames: func([]string) (map[string]int64, error) { return nil, nil },
	})
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, t := range planned.After.Tracks {
		for _, c := range t.Clips {
			fmt.Println(t.Label, c.At, c.Length)
		}
	}
	back, _, _ := reel.Apply(planned.After, planned.Undo)
	fmt.Println(len(planned.Ops), "operation;", len(back.Tracks[0].Clips), "clip a track once it is undone")
	// Output:
	// Boom 0 12000
	// Boom 12000 36000
	// Lav Ines 0 12000
	// Lav Ines 12000 36000
	// 1 operation; 1 clip a track once it is undone
}
