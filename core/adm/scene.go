// Package adm writes and reads what a BW64 file says of its sound by the Audio Definition Model (ITU-R BS.2076-2): which programme,
// contents and objects there are, and for each track of the file which speaker or component of a sound field it is for. It is an XML
// text in the chunk axml and a table of tracks in the chunk chna (ITU-R BS.2088).
package adm

import (
	"math"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Scene is what a file holds.
type Scene struct {
	Programme string // its name
	Rate      int    // Hz
	Bits      int    // of a sample
	Frames    int64  // how long the programme lasts; 0 where that is not said
	Loudness  *Loudness
	Elements  []Element
	// Snags are what of another program's description is not taken over.
	Snags []snag.Snag
}

// Loudness is that of the programme, by ITU-R BS.1770 and EBU Tech 3342: LUFS, LU and dBTP; NaN for what is not said.
type Loudness struct {
	Integrated, Range, TruePeak, Momentary, ShortTerm float64
}

// Content says what is heard in an element.
type Content string

// Contents, as BS.2076 divides them.
const (
	Undefined Content = ""
	Dialogue  Content = "dialogue"
	VoiceOver Content = "voice-over"
	Music     Content = "music"
	Effects   Content = "effects"
	Mix       Content = "mix" // complete
	Mixed     Content = "mixed"
)

// Element is a bed, a sound field or an object.
type Element struct {
	Name    string
	Content Content
	Layout  audio.Layout // "discrete 1" for an object, and for what stands for no place that is known
	// Tracks are the file's channels from 0, in the order of the layout.
	Tracks []int
	// Object is where a single sound stands, where it is one that is placed by itself.
	Object *Object
	GainDB float64 // of the element as a whole
	// Loudness is that of the content that holds this element alone; nil where that is not said.
	Loudness *Loudness
}

// Object is a sound that is placed by itself.
type Object struct {
	audio.Direction
	Distance float64 // 1 is that of the speakers
	GainDB   float64
	Moves    bool // it begins there
}

// speaker is how BS.2051 and BS.2076 speak of a channel for a speaker.
type speaker struct {
	label string
	lfe   bool
	at    audio.Direction
}

// speakerOf is the label and the direction of a channel of a bed.
func speakerOf(l audio.Layout, i int) (speaker, bool) {
	s := l.Speakers[i]
	if l.IsLFE(i) {
		return speaker{"LFE1", true, audio.Direction{Azimuth: 0, Elevation: -30}}, true
	}
	at, ok := l.Direction(i)
	if !ok {
		switch s { // matrixed, and meant for the sides of a pair
		case "Lt", "Lo":
			at, ok = audio.Direction{Azimuth: 30}, true
		case "Rt", "Ro":
			at, ok = audio.Direction{Azimuth: -30}, true
		}
	}
	return speaker{labelFor(at), false, at}, ok
}

// labelFor is that of BS.2051 for a direction: M, U, B or T for the layer, and the azimuth.
func labelFor(at audio.Direction) string {
	layer := "M"
	switch {
	case at.Elevation > 80:
		layer = "T"
	case at.Elevation > 15:
		layer = "U"
	case at.Elevation < -15:
		layer = "B"
	}
	az := int(math.Round(at.Azimuth))
	if layer == "T" || az == -180 {
		az = max(0, -az)
	}
	if layer == "T" {
		az = 0
	}
	sign := "+"
	if az < 0 {
		sign, az = "-", -az
	}
	return layer + sign + pad(az, 3)
}

func pad(n, digits int) string {
	out := []byte{}
	for range digits {
		out = append([]byte{byte('0' + n%10)}, out...)
		n /= 10
	}
	return string(out)
}
