package machine

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"golang.org/x/sys/unix"

	"zestyloom/core/audio"
	"zestyloom/core/line"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/core/wholefile"
	"zestyloom/internal/deck"
)

const frameBytes = 3 // of a channel

// recorder writes what arrives to where it belongs, a file for each stream, and makes one recording of them in the end: packets may be
// lost, late or out of order, and the place of each is known.
type recorder struct {
	deck.Recording
	dir     string
	rate    timecode.Rate
	streams []recorded
}

type recorded struct {
	stream line.Stream
	file   *os.File
	come   line.Spans
	runs   *runs // nil for one that is taken up
	past   bool  // something after the end has come
}

func begin(dir string, r deck.Recording, s line.Session) (*recorder, error) {
	rec := &recorder{Recording: r, dir: dir, rate: s.Rate}
	if err := rec.room(s); err != nil {
		return nil, err
	}
	if err := os.MkdirAll(rec.parts(), 0o755); err != nil {
		return nil, err
	}
	for i, st := range s.Streams {
		f, err := os.Create(filepath.Join(rec.parts(), fmt.Sprint(i)))
		if err != nil {
			return nil, errors.Join(err, rec.abandon())
		}
		rec.streams = append(rec.streams, recorded{stream: st, file: f, runs: &runs{}})
		if rec.streams[i].runs.file, err = os.Create(rec.runsFile(i)); err != nil {
			return nil, errors.Join(err, rec.abandon())
		}
		// What never comes is silence. What comes has its room already: others may fill the disk meanwhile.
		if err := reserve(f, (r.To-r.From)*int64(len(st.Channels))*frameBytes); err != nil {
			return nil, errors.Join(err, rec.abandon())
		}
	}
	if err := rec.saveOrder(s); err != nil {
		return nil, errors.Join(err, rec.abandon())
	}
	return rec, nil
}

func (r *recorder) parts() string { return filepath.Join(r.dir, r.ID+partsSuffix) }

const partsSuffix = ".parts"

// abandon closes what it writes to and removes it.
func (r *recorder) abandon() error { return errors.Join(r.close(), os.RemoveAll(r.parts())) }

func (r *recorder) close() error {
	var errs []error
	for _, s := range r.streams {
		errs = append(errs, s.file.Close())
		if s.runs != nil && s.runs.file != nil {
			errs = append(errs, s.runs.file.Close())
		}
	}
	return errors.Join(errs...)
}

// put writes what arrived. It reports whether all streams are past the end.
func (r *recorder) put(i int, a *line.Arrived) (past bool, err error) {
	s := &r.streams[i]
	from, to := max(a.At, r.From), min(a.At+int64(a.Frames), r.To)
	if from < to {
		r.State = "recording"
		size := int64(len(s.stream.Channels)) * frameBytes
		if _, err := s.file.WriteAt(a.Sound[(from-a.At)*size:(to-a.At)*size], (from-r.From)*size); err != nil {
			return false, err
		}
		if err := s.runs.add(from, to); err != nil {
			return false, err
		}
		s.come.Add(from, to)
	}
	s.past = s.past || r.State == "recording" && a.At >= r.To
	for _, s := range r.streams {
		if !s.past {
			return false, nil
		}
	}
	return true, nil
}

// finish makes the file, says what is missing of it, and leaves nothing else behind once both are whole and on the disk. Until then
// what was recorded stays in its parts: a deck that starts again tries again.
func (r *recorder) finish() (err error) {
	defer func() {
		if err != nil {
			err = errors.Join(fmt.Errorf("%w; what was recorded is kept in %s: make room, and start the deck again to finish it", err, r.ID+partsSuffix), r.close())
		}
	}()
	for _, s := range r.streams {
		first, last := 0, 0
		for k, c := range r.Channels {
			if c > s.stream.First && c <= s.stream.First+len(s.stream.Channels) {
				if first == 0 {
					first = k + 1
				}
				last = k + 1
			}
		}
		if first == 0 {
			continue
		}
		lost := int64(0)
		for _, m := range s.come.Missing(r.From, r.To) {
			r.Gaps = append(r.Gaps, line.Gap{Span: m, First: first, Last: last})
			r.GapsSayAt = append(r.GapsSayAt, r.rate.FormatSamples(m.From, line.Rate))
			lost += m.To - m.From
		}
		r.Lost = max(r.Lost, lost)
	}
	if err := r.write(); err != nil {
		return err
	}
	r.State = "done"
	if err := r.save(); err != nil {
		return err
	}
	_ = r.abandon() // what is left of it is found again when the deck starts, and is whole by then
	return nil
}

// write makes the WAV file.
func (r *recorder) write() (err error) {
	ixml := wave.NewIXML()
	ixml.SetSpeed(line.Rate, 24, r.From, r.rate)
	var tracks []wave.IXMLTrack
	for i, name := range r.Labels {
		tracks = append(tracks, wave.IXMLTrack{Recorder: i + 1, Interleave: i + 1, Name: name})
	}
	ixml.SetTracks(tracks)
	f, err := wholefile.Create(filepath.Join(r.dir, r.File), true)
	if err != nil {
		return err
	}
	defer f.Abort()
	w, err := wave.NewWriter(f, wave.Options{
		Format: wave.Format{Coding: audio.S24, Channels: len(r.Channels), SampleRate: line.Rate},
		Bext:   &wave.Bext{Description: r.Name, Originator: "Zesty Loom deck", TimeReference: uint64(r.From)}, IXML: ixml,
	})
	if err != nil {
		return err
	}
	const some = 4800
	parts := make([][]byte, len(r.streams))
	for i, s := range r.streams {
		parts[i] = make([]byte, some*len(s.stream.Channels)*frameBytes)
	}
	out := make([]byte, some*len(r.Channels)*frameBytes)
	for at := int64(0); at < r.To-r.From; at += some {
		n := int(min(some, r.To-r.From-at))
		for i, s := range r.streams {
			size := len(s.stream.Channels) * frameBytes
			if _, err := s.file.ReadAt(parts[i][:n*size], at*int64(size)); err != nil && !errors.Is(err, io.EOF) {
				return err
			}
		}
		for k, c := range r.Channels {
			for i, s := range r.streams {
				of := c - 1 - s.stream.First
				if of < 0 || of >= len(s.stream.Channels) {
					continue
				}
				size, stride := len(s.stream.Channels)*frameBytes, len(r.Channels)*frameBytes
				for j := range n {
					copy(out[j*stride+k*frameBytes:][:frameBytes], parts[i][j*size+of*frameBytes:])
				}
			}
		}
		if _, err := w.Write(out[:n*len(r.Channels)*frameBytes]); err != nil {
			return err
		}
	}
	if err := w.Close(); err != nil {
		return err
	}
	return f.Commit()
}

// room refuses a recording that the disk has no room for: for what comes, and for the file that is made of it.
func (r *recorder) room(s line.Session) error {
	channels := int64(len(r.Channels))
	for _, st := range s.Streams {
		channels += int64(len(st.Channels))
	}
	need := (r.To - r.From) * channels * frameBytes
	var disk unix.Statfs_t
	if err := unix.Statfs(r.dir, &disk); err != nil {
		return nil // not known: the reservation itself will tell
	}
	if free := int64(disk.Bavail) * disk.Bsize; need > free {
		return snag.Refuse("disk_full", "the recording takes %d MiB until its file is made, and the deck's disk has room for %d: make room, or record less", (need+1<<20-1)>>20, free>>20)
	}
	return nil
}

// reserve gives a file its length and its room on the disk.
func reserve(f *os.File, bytes int64) error {
	err := unix.Fallocate(int(f.Fd()), 0, 0, bytes)
	if errors.Is(err, unix.EOPNOTSUPP) || errors.Is(err, unix.ENOSYS) {
		return f.Truncate(bytes) // a file system that can't promise
	}
	if errors.Is(err, unix.ENOSPC) {
		return snag.Refuse("disk_full", "the deck's disk has no room for the recording: make room, or record less")
	}
	return err
}

// appear writes a small file that is under its name when it is whole, on the disk.
func appear(path string, b []byte) error {
	f, err := wholefile.Create(path, true)
	if err != nil {
		return err
	}
	defer f.Abort()
	if _, err := f.Write(b); err != nil {
		return err
	}
	return f.Commit()
}

// save writes what became of it beside the sound.
func (r *recorder) save() error {
	b, err := json.MarshalIndent(r.Recording, "", "  ")
	if err != nil {
		return err
	}
	return appear(filepath.Join(r.dir, r.ID+".json"), b)
}
