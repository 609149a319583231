package machine

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"

	"zestyloom/core/line"
	"zestyloom/internal/deck"
)

// A recording that is being made says on the disk what it is to become and, beside the sound of each stream, what of it has come: the
// runs of it, 16 bytes each, of which the last grows. A deck that was killed is so able to finish it as if it had been ended by hand.

// orderFile holds an order among the parts of its recording.
const orderFile = "order.json"

// ordered is what a recording is to become.
type ordered struct {
	Recording deck.Recording `json:"recording"`
	Session   line.Session   `json:"session"`
}

func (r *recorder) saveOrder(s line.Session) error {
	b, err := json.Marshal(ordered{r.Recording, s})
	if err != nil {
		return err
	}
	return appear(filepath.Join(r.parts(), orderFile), b)
}

// runsFile is that of a stream's runs.
func (r *recorder) runsFile(stream int) string {
	return filepath.Join(r.parts(), fmt.Sprint(stream, ".runs"))
}

// runs says on the disk what of a stream has come.
type runs struct {
	file *os.File
	last line.Span
	at   int64 // of the last one in the file
}

// add takes note of what came, in sound that is written already.
func (w *runs) add(from, to int64) error {
	switch {
	case w.last == line.Span{}:
		w.last = line.Span{From: from, To: to}
	case w.last.To == from:
		w.last.To = to
	default:
		w.last, w.at = line.Span{From: from, To: to}, w.at+16
	}
	b := binary.LittleEndian.AppendUint64(make([]byte, 0, 16), uint64(w.last.From))
	_, err := w.file.WriteAt(binary.LittleEndian.AppendUint64(b, uint64(w.last.To)), w.at)
	return err
}

// readRuns are the runs in a file; one that was not written whole is left out.
func readRuns(path string, within line.Span) (out line.Spans, err error) {
	b, err := os.ReadFile(path)
	for ; len(b) >= 16; b = b[16:] {
		from, to := int64(binary.LittleEndian.Uint64(b)), int64(binary.LittleEndian.Uint64(b[8:]))
		if within.From <= from && from < to && to <= within.To {
			out.Add(from, to)
		}
	}
	return out, err
}

// anyBytes reports whether one of some files has any.
func anyBytes(paths []string) bool {
	return slices.ContainsFunc(paths, func(p string) bool {
		st, err := os.Stat(p)
		return err == nil && st.Size() > 0
	})
}

// takeUp finishes a recording that a deck was killed over, with what had come of it. It reports whether there is one: where nothing
// had come, nothing is left.
func takeUp(dir, parts string) (deck.Recording, bool, error) {
	path := filepath.Join(dir, parts)
	b, err := os.ReadFile(filepath.Join(path, orderFile))
	if errors.Is(err, fs.ErrNotExist) { // killed before it began
		if runs, _ := filepath.Glob(filepath.Join(path, "*.runs")); !anyBytes(runs) {
			return deck.Recording{}, false, os.RemoveAll(path)
		}
		return deck.Recording{}, false, errors.New("nothing says what it was to become")
	}
	if err != nil {
		return deck.Recording{}, false, err
	}
	var o ordered
	if err := json.Unmarshal(b, &o); err != nil {
		return deck.Recording{}, false, fmt.Errorf("what it was to become is not said: %w", err)
	}
	if o.Recording.ID+partsSuffix != parts {
		return deck.Recording{}, false, fmt.Errorf("it says that it is %s", o.Recording.ID)
	}
	r := &recorder{Recording: o.Recording, dir: dir, rate: o.Session.Rate}
	come := false
	for i, st := range o.Session.Streams {
		f, err := os.Open(filepath.Join(path, fmt.Sprint(i)))
		if err != nil {
			return deck.Recording{}, false, errors.Join(err, r.close())
		}
		s := recorded{stream: st, file: f}
		if s.come, err = readRuns(r.runsFile(i), line.Span{From: r.From, To: r.To}); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return deck.Recording{}, false, errors.Join(err, f.Close(), r.close())
		}
		come = come || len(s.come) > 0
		r.streams = append(r.streams, s)
	}
	if !come {
		return deck.Recording{}, false, r.abandon()
	}
	r.Broken = true
	if err := r.finish(); err != nil {
		r.State, r.Error = "failed", err.Error()
	}
	return r.Recording, true, nil
}
