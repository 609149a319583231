package loudness_test

import (
	"fmt"
	"math"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
)

// A sine of 1 kHz on both sides whose peak is at -23 dBFS is as loud as EBU Tech 3341 says.
func ExampleMeter() {
	stereo, _ := audio.ParseLayout("stereo")
	m, err := loudness.NewMeter(stereo, 48000, loudness.Options{})
	if err != nil {
		fmt.Println(err)
		return
	}
	b := audio.NewBlock(2, 48000)
	for i := range b[0] {
		v := audio.Gain(-23) * math.Sin(2*math.Pi*1000*float64(i)/48000)
		b[0][i], b[1][i] = v, v
	}
	for range 20 {
		m.Add(b)
	}
	r := m.Result()
	fmt.Printf("%.1f LUFS, %.1f dBTP\n", r.Integrated, r.TruePeak.Value)
	// Output: -23.0 LUFS, -23.0 dBTP
}
