package printing_test

import (
	"fmt"

	"zestyloom/core/delivery"
	"zestyloom/core/printing"
	"zestyloom/core/reel"
	"zestyloom/core/timecode"
)

// All that lies on a track within a span becomes one file for each take.
func ExampleMake() {
	r := reel.New()
	r.Tracks = []reel.Track{{ID: "t", Label: "Boom", Layout: "mono", Clips: []reel.Clip{
		{ID: "a", Name: "21A-3", Strands: []string{"a"}, Length: 48000},
		{ID: "b", Name: "21A-4", Strands: []string{"b"}, At: 48000, Length: 48000},
	}}}
	prints, err := printing.Make(r, printing.Order{Tracks: []string{"t"}, From: 24000, To: 60000}, printing.Context{
		Titles: delivery.Titles{Reel: "Reel 1"}, Rate: timecode.Rate{Num: 25, Den: 1}, Samples: 48000, NewID: func() string { return "new" },
		TakeOf: func(strand string) (string, string) {
			return strand, map[string]string{"a": "21A-3", "b": "21A-4"}[strand]
		},
	})
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, p := range prints {
		fmt.Println(p.Plan.Files[0].Name, p.Plan.From, p.Plan.Frames)
	}
	// Output:
	// 21A-3 printed_00000012.wav 24000 24000
	// 21A-4 printed_00000100.wav 48000 12000
}
