package readings

import (
	"context"
	"fmt"
	"time"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/weave"
)

// Kept is where chunks are kept by what sounds in them. It is safe for concurrent use.
type Kept interface {
	Get(key string) (loudness.Chunk, bool)
	Add(key string, c loudness.Chunk) (evicted bool)
	Contains(key string) bool
}

// peakFloor is the level under which true peaks of tenths of a second need not be exact, in dBTP.
const peakFloor = -12

// job measures subjects of one program, a chunk at a time.
type job struct {
	weave      weave.Weave
	program    *mix.Program
	prints     *mix.Fingerprints
	subjects   []Subject
	rate       int64
	start, end int64
	kept       Kept
	until      time.Time // the zero one is never

	done, total int
	player      *mix.Player
	playing     string // the subjects that the player is for
}

func newJob(r reel.Reel, rate int, sources mix.Sources, subjects []Subject, kept Kept, until time.Time) (*job, error) {
	program, err := mix.Compile(r, rate, sources)
	if err != nil {
		return nil, err
	}
	j := &job{weave: r.Weave, program: program, prints: program.Fingerprints(), rate: int64(rate), kept: kept, until: until}
	j.start, j.end = program.Span()
	for _, s := range subjects {
		if s.Says == "" && s.As == "" {
			j.subjects = append(j.subjects, s)
		}
	}
	return j, nil
}

// run measures what is not known yet, until the time is up, and gives the chunks of each subject.
func (j *job) run(ctx context.Context) ([][]loudness.Chunk, error) {
	out := make([][]loudness.Chunk, len(j.subjects))
	long := loudness.ChunkSeconds * j.rate
	n := int((j.end - j.start + long - 1) / long)
	j.total = n * len(j.subjects)
	defer func() {
		if j.player != nil {
			j.player.Close()
		}
	}()
	for k := range n {
		from := j.start + int64(k)*long
		to := min(j.end, from+long)
		var missing []int
		keys := make([]string, len(j.subjects))
		for i, s := range j.subjects {
			var err error
			if keys[i], err = j.key(s, from, to); err != nil {
				return nil, err
			}
			if c, ok := j.kept.Get(keys[i]); ok {
				out[i] = append(out[i], c)
				j.done++
			} else {
				missing = append(missing, i)
			}
		}
		if len(missing) == 0 {
			continue
		}
		if !j.until.IsZero() && time.Now().After(j.until) {
			return out, j.countKnown(k, n)
		}
		chunks, err := j.measure(ctx, missing, from, to)
		if err != nil {
			return nil, err
		}
		for n, i := range missing {
			j.kept.Add(keys[i], chunks[n])
			out[i] = append(out[i], chunks[n])
			j.done++
		}
	}
	return out, nil
}

// key is under what a chunk is kept. What lies before the reel's start is not heard, whatever lies there.
func (j *job) key(s Subject, from, to int64) (string, error) {
	print, err := s.print(j.weave, j.prints, from, to, loudness.ChunkBefore*j.rate, loudness.ChunkAfter)
	return fmt.Sprint(to-from, " ", min(from-j.start, loudness.ChunkBefore*j.rate), " ", print), err
}

// countKnown counts what is known of the chunks after one, for which there was no time: how far it is, is told honestly.
func (j *job) countKnown(k, n int) error {
	long := loudness.ChunkSeconds * j.rate
	for k++; k < n; k++ {
		from := j.start + int64(k)*long
		for _, s := range j.subjects {
			key, err := j.key(s, from, min(j.end, from+long))
			if err != nil {
				return err
			}
			if j.kept.Contains(key) {
				j.done++
			}
		}
	}
	return nil
}

// play opens a player for subjects: buses are signals of their own, and outputs are all of them, last.
func (j *job) play(which []int) error {
	names := fmt.Sprint(which)
	if j.player != nil && j.playing == names {
		return nil
	}
	if j.player != nil {
		j.player.Close()
	}
	var signals []mix.Signal
	outputs := false
	for _, i := range which {
		if s := j.subjects[i]; s.Role == Outputs {
			outputs = true
		} else {
			signals = append(signals, mix.Of(s.ID))
		}
	}
	if outputs {
		signals = append(signals, mix.All())
	}
	var err error
	j.player, err = j.program.Play(signals...)
	j.playing = names
	return err
}

// read gives a block of each subject. They are valid until the next.
func (j *job) read(ctx context.Context, which []int, at, n int64) ([]audio.Block, error) {
	blocks, err := j.player.Read(ctx, at, int(n))
	if err != nil {
		return nil, err
	}
	out := make([]audio.Block, len(which))
	next := 0
	for k, i := range which {
		s := j.subjects[i]
		if s.Role != Outputs {
			out[k] = blocks[next]
			next++
			continue
		}
		all := blocks[len(blocks)-1]
		for _, o := range s.outputs {
			out[k] = append(out[k], all[o])
		}
	}
	return out, nil
}

// measure measures a chunk of subjects, all from one run of the graph.
func (j *job) measure(ctx context.Context, which []int, from, to int64) ([]loudness.Chunk, error) {
	if err := j.play(which); err != nil {
		return nil, err
	}
	meters := make([]*loudness.Meter, len(which))
	for k, i := range which {
		m, err := loudness.NewMeter(j.subjects[i].Layout, int(j.rate), loudness.Options{Peaks: true, Floor: peakFloor})
		if err != nil {
			return nil, err
		}
		meters[k] = m
	}
	add := func(a, b int64) error {
		for at := a; at < b; at += mix.BlockFrames {
			blocks, err := j.read(ctx, which, at, min(mix.BlockFrames, b-at))
			if err != nil {
				return err
			}
			for i, m := range meters {
				m.Add(blocks[i])
			}
		}
		return nil
	}
	if err := add(max(j.start, from-loudness.ChunkBefore*j.rate), from); err != nil {
		return nil, err
	}
	for _, m := range meters {
		m.Mark()
	}
	if err := add(from, to); err != nil {
		return nil, err
	}
	after := make([]audio.Block, len(which))
	for k, i := range which {
		after[k] = audio.NewBlock(j.subjects[i].Layout.Count, loudness.ChunkAfter)
	}
	if n := min(loudness.ChunkAfter, j.end-to); n > 0 {
		blocks, err := j.read(ctx, which, to, n)
		if err != nil {
			return nil, err
		}
		for i := range after {
			for c := range after[i] {
				copy(after[i][c], blocks[i][c])
			}
		}
	}
	out := make([]loudness.Chunk, len(which))
	for i, m := range meters {
		out[i] = m.Chunk(after[i])
	}
	return out, nil
}

// whole is the fingerprint of all of a bus.
func (j *job) whole(bus string) (string, error) {
	print, err := j.prints.Of(bus, j.start, j.end, 0, 0)
	return fmt.Sprintf("%016x", print), err
}
