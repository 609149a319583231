// Package mix is the signal graph: what a person has arranged in a reel and its weave is compiled into a program, and a
// player computes any of its signals (tracks, buses, outputs), block by block, from the strands' files. Everything
// that is heard, measured, written and proven comes from here.
//
// A signal is a function of the place alone: the same samples, bit for bit, whatever was read before, however the span
// is cut into blocks, and on however many cores. Samples are float64: products with a gain of exactly 1 and sums of up
// to 2^29 samples of 24 bits are exact, so that mixing at unity is, too. Products are rounded on their own, so that
// every machine gives the same bits.
//
// Memory depends on how many channels sound at once and never on length: a track or bus holds three blocks of BlockFrames
// for each of its channels, a file that is open two stretches of pageBytes or of two blocks of all its channels, and at most maxOpen are.
package mix

import (
	"zestyloom/core/source"
	"zestyloom/core/treat"
)

// BlockFrames is the size of the blocks that signals are computed in.
const BlockFrames = 1 << 13

// Source is where a strand's sound is, and what is done to it wherever it is used.
type Source struct {
	Path    string
	Channel int // from 0
	Treat   treat.Treatment
	// Drift is by how many parts in a million the recorder's clock ran fast: corrected as the sound is
	// read. 0 for none.
	Drift float64
	// Known is what is known of the file since it was taken in: what is read is compared with that, and refused where it is
	// other. nil where nothing is.
	Known *source.Known
}

// Sources finds the file of a strand.
type Sources func(strand string) (Source, error)
