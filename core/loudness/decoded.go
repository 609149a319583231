package loudness

import (
	"fmt"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
)

// decodedTo is the layout that a sound field is decoded to, to be measured: the widest with directions that BS.1770-5 weights.
const decodedTo = "7.1.4"

// decoded is what the loudness of a sound field is measured of: it as it is decoded to speakers.
type decoded struct {
	meter  *Meter
	matrix audio.Matrix
	block  audio.Block
}

func decodingOf(l audio.Layout) (ambisonic.Decoder, audio.Layout, error) {
	to, err := audio.ParseLayout(decodedTo)
	if err != nil {
		return ambisonic.Decoder{}, to, err
	}
	d, err := ambisonic.Decode(l, to, ambisonic.EnergyPreserving, true)
	return d, to, err
}

// newDecoded makes the decoding by which an ambisonic layout is measured. A plane wave has the same energy from wherever it
// comes; loudness then differs by the weights of the speakers alone.
func newDecoded(l audio.Layout, rate int) (*decoded, error) {
	d, to, err := decodingOf(l)
	if err != nil {
		return nil, err
	}
	m, err := NewMeter(to, rate, Options{NoProgramme: true, NoPeaks: true})
	return &decoded{meter: m, matrix: d.Matrix}, err
}

func (d *decoded) add(b audio.Block) {
	n := b.Frames()
	if d.block == nil || len(d.block[0]) < n {
		d.block = audio.NewBlock(len(d.matrix), n)
	}
	out := make(audio.Block, len(d.block))
	for i, row := range d.matrix {
		out[i] = d.block[i][:n]
		clear(out[i])
		for k, f := range row {
			if f == 0 {
				continue
			}
			for s, v := range b[k] {
				if v-v == 0 { // what is no number is silence
					out[i][s] += f * v
				}
			}
		}
	}
	d.meter.Add(out)
}

// How says how a layout's loudness is measured where that is not by itself, else empty.
func How(l audio.Layout) string {
	if l.Kind != audio.Ambisonic {
		return ""
	}
	d, _, err := decodingOf(l)
	if err != nil {
		return ""
	}
	return fmt.Sprintf("loudness is that of the sound field %s; peaks are those of its own channels", d.Says)
}
