package timecode_test

import (
	"fmt"

	"zestyloom/core/timecode"
)

// Samples become timecode through exact rationals; frame numbers that drop-frame counting leaves out are refused.
func ExampleRate() {
	df := timecode.Rate{Num: 30000, Den: 1001, Drop: true}
	minute := df.SampleAt(1798, 48000)
	fmt.Println(df.FormatSamples(minute, 48000), df.FormatSamples(df.SampleAt(1800, 48000), 48000))
	_, err := df.Parse("00:01:00;00")
	fmt.Println(err != nil)
	// Output:
	// 00:00:59;28 00:01:00;02
	// true
}
