package weave_test

import (
	"fmt"

	"zestyloom/core/audio"
	"zestyloom/core/weave"
)

// A track that goes to the dialogue stem by a pan law, and the levels at which it comes to each output.
func ExampleWeave_Product() {
	w := weave.Default()
	w.Sends["boom"] = []weave.Send{{To: "DX", GainDB: -4, Patch: weave.Patch{Preset: weave.Pan, Law: -3}}}
	mono, _ := audio.ParseLayout("mono")
	track := weave.Track{ID: "boom", Label: "Boom", Layout: mono}
	product, err := w.Product([]weave.Track{track})
	if err != nil {
		fmt.Println(err)
		return
	}
	for i, o := range w.Outputs[:3] {
		if f := product[i][0][0]; f != 0 {
			fmt.Printf("%s %.1f dB\n", o.Name, audio.Decibels(f))
		} else {
			fmt.Println(o.Name, "nothing")
		}
	}
	fmt.Println(w.Ways(track))
	// Output:
	// DX L -7.0 dB
	// DX R -7.0 dB
	// MX L nothing
	// DX, in the middle, -3 dB in the middle, -4.0 dB
}
