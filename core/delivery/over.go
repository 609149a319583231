package delivery

import (
	"fmt"
	"slices"

	"zestyloom/core/mix"
	"zestyloom/core/source"
)

// Over is a delivery as far as a test of a span has it: its start and length are the test's, and its channels are hashed over the
// test's own stretch, so that both can be compared. open finds the files of the delivery. False where they can't be: files that are
// coded otherwise, are in streams or compressed, have something before or after the programme, or don't hold all of the span.
func (m Made) Over(test Plan, open func(file int) (path string, known *source.Known, err error)) (Made, bool, error) {
	was := m.Plan
	from := test.Start - was.Start
	if test.Lead+test.Tail+was.Lead+was.Tail > 0 || from < 0 || from+test.Frames > was.Frames || test.Rates.Files != was.Rates.Files || len(m.Proof.Files) != len(was.Files) {
		return m, false, nil
	}
	m.Proof.Files = slices.Clone(m.Proof.Files)
	for i, f := range was.Files {
		kind := Containers[f.Container]
		if len(f.Channels) == 0 {
			continue
		}
		if kind.Picture {
			return m, false, nil
		}
		path, known, err := open(i)
		if err != nil {
			return m, false, err
		}
		sums, err := hashedOver(path, known, from, test.Frames)
		if err != nil {
			return m, false, err
		}
		channels := slices.Clone(m.Proof.Files[i].Channels)
		if len(sums) != len(channels) {
			return m, false, nil
		}
		for c := range channels {
			channels[c].Hash = fmt.Sprintf("%016x", sums[c])
		}
		m.Proof.Files[i].Channels = channels
	}
	m.Plan.Start, m.Plan.Frames = test.Start, test.Frames
	return m, true, nil
}

// hashedOver hashes the channels of a stretch of a file, as they are coded.
func hashedOver(path string, known *source.Known, from, frames int64) ([]uint64, error) {
	src, err := source.OpenKnown(path, known)
	if err != nil {
		return nil, err
	}
	defer src.Close()
	hashes := newHashes(src.Format.Channels)
	width := src.Format.FrameBytes()
	raw := make([]byte, mix.BlockFrames*width)
	for at := int64(0); at < frames; {
		n := min(int64(mix.BlockFrames), frames-at)
		if err := src.ReadFull(raw[:int(n)*width], from+at); err != nil {
			return nil, err
		}
		hashes.add(raw[:int(n)*width], src.Format.Coding.Bytes())
		at += n
	}
	return hashes.sums(), nil
}
