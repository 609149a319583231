package delivery_test

import (
	"fmt"

	"zestyloom/core/delivery"
	"zestyloom/core/snag"
)

// A specification that can't be delivered to says why.
func ExampleParseSpec() {
	_, err := delivery.ParseSpec([]byte(`{"format": 2, "name": "House stems", "version": 1, "sample_rate": 48000, "coding": "s24", "programme": {"length": "reel"},
		"packings": [{"id": "files", "says": "a file a stem", "files": [{"each": "stem", "container": "mp3", "name": "{stem}"}]}]}`))
	fmt.Println(snag.Of(err).Code)
	fmt.Println(snag.Of(err).Message)
	// Output:
	// bad_spec
	// spec House stems: packing files, file 1: the container "mp3" is not written: wav, rf64, bw64, w64, aiff, flac, mov, mxf and mp4 are
}
