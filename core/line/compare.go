package line

import (
	"slices"

	"zestyloom/core/audio"
)

// Gap is what of a stream has not come, with the channels that it is of, counted from 1.
type Gap struct {
	Span
	First int `json:"first"`
	Last  int `json:"last"`
}

// Difference is a channel that is not what was sent, outside of gaps.
type Difference struct {
	Channel int   `json:"channel"` // from 1
	At      int64 `json:"at"`      // of the first sample that differs
	Samples int64 `json:"samples"` // that differ
}

// Comparison compares what was recorded with what was sent, sample by sample, in steps of 24 bits.
type Comparison struct {
	Gaps        []Gap
	differences []Difference // one for each channel
	sent        audio.Encoder
	one, other  []byte
}

// NewComparison makes one for so many channels.
func NewComparison(channels int, gaps []Gap) *Comparison {
	return &Comparison{Gaps: gaps, differences: make([]Difference, channels), sent: audio.Encoder{Coding: audio.S24}}
}

// Add compares blocks that begin at a place. What was sent is rounded as it was when it was sent; what was recorded is on the grid of
// 24 bits already.
func (c *Comparison) Add(sent, recorded audio.Block, at int64) {
	for ch := range c.differences {
		c.one = c.sent.Encode(c.one[:0], audio.Block{sent[ch]}, at)
		c.other = c.sent.Encode(c.other[:0], audio.Block{recorded[ch]}, at)
		for i := 0; i < len(c.one); i += sampleBytes {
			if [3]byte(c.one[i:]) == [3]byte(c.other[i:]) {
				continue
			}
			place := at + int64(i/sampleBytes)
			if c.inGap(ch, place) {
				continue
			}
			d := &c.differences[ch]
			if d.Samples == 0 {
				d.Channel, d.At = ch+1, place
			}
			d.Samples++
		}
	}
}

func (c *Comparison) inGap(channel int, at int64) bool {
	return slices.ContainsFunc(c.Gaps, func(g Gap) bool {
		return channel+1 >= g.First && channel+1 <= g.Last && at >= g.From && at < g.To
	})
}

// Differences are of the channels that differ.
func (c *Comparison) Differences() []Difference {
	return slices.DeleteFunc(slices.Clone(c.differences), func(d Difference) bool { return d.Samples == 0 })
}
