package httpapi

import (
	"bytes"
	"context"
	"encoding/binary"
	"encoding/json"
	"io"
	"math"
	"net/http"
	"strconv"
	"strings"

	"zestyloom/core/monitor"
	"zestyloom/core/snag"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
)

func (s *server) listen(ctx context.Context, _ none, q contract.ListenParams) (heard, error) {
	o := listening(q.From, q.To, q.Loop, (*float64)(q.Speed), q.KeepPitch, q.Match)
	if q.Rate != nil {
		o.Rate = *q.Rate
	}
	h, err := s.app.Listen(ctx, strings.Split(q.Of, ","), o)
	return heard{h, ctx}, err
}

func (s *server) listenToPair(ctx context.Context, at ofSync, q contract.ListenToPairParams) (heard, error) {
	h, err := s.app.ListenToPair(ctx, at.Sync, q.Ref, q.Take, listening(q.From, q.To, q.Loop, (*float64)(q.Speed), q.KeepPitch, q.Match))
	return heard{h, ctx}, err
}

func (s *server) listenToReel(ctx context.Context, at ofReel, q contract.ListenToReelParams) (heard, error) {
	what := app.ReelSignal{Track: given(q.Track), Bus: given(q.Bus), Solo: listed(given(q.Solo)), Mute: listed(given(q.Mute)), Identify: given(q.Identify), Uncorrected: given(q.Uncorrected), GainDB: given(q.GainDb), Headphones: given(q.Headphones), Untreated: given(q.Untreated)}
	for _, at := range listed(given(q.Outputs)) {
		i, err := strconv.Atoi(at)
		if err != nil {
			return heard{}, snag.Refuse("bad_operation", "%q is no output's place: they are counted from 0", at)
		}
		what.Outputs = append(what.Outputs, i)
	}
	if doing := given(q.Doing); doing != "" {
		if err := json.Unmarshal([]byte(doing), &what.Doing); err != nil {
			return heard{}, snag.Refuse("bad_operation", "what is to be heard as if it had been done is not understood: %v", err)
		}
	}
	h, err := s.app.ListenToReel(ctx, at.Reel, what, listening(q.From, q.To, q.Loop, (*float64)(q.Speed), q.KeepPitch, nil))
	return heard{h, ctx}, err
}

// listed takes names apart that are divided by commas.
func listed(s string) []string {
	if s == "" {
		return nil
	}
	return strings.Split(s, ",")
}

func listening(from, to *int64, loop *bool, speed *float64, pitch, match *bool) app.Listening {
	return app.Listening{
		Order: monitor.Order{From: given(from), To: given(to), Loop: given(loop), Speed: given(speed), KeepPitch: given(pitch)},
		Match: given(match),
	}
}

// given is an optional parameter, or its zero.
func given[T any](p *T) (v T) {
	if p != nil {
		v = *p
	}
	return v
}

// heard streams what is heard, in the form that the contract describes.
type heard struct {
	*app.Heard
	ctx context.Context
}

// give writes each block as soon as it is there.
func (h heard) give(w http.ResponseWriter) error {
	defer h.Close()
	head := contract.Heard{Rate: h.Rate, Channels: len(h.Gains), Frames: h.Frames(), Says: h.Fold.Says, Gains: h.Gains, Matrix: [][]float64{}}
	for _, m := range h.Fold.Matrix {
		head.Matrix = append(head.Matrix, m[:])
	}
	says, err := json.Marshal(head)
	if err != nil {
		return err
	}
	says = append(says, bytes.Repeat([]byte(" "), (8-(len(says)+4)%8)%8)...) // blocks begin at a multiple of eight bytes
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("Cache-Control", "no-store")
	out := append(binary.LittleEndian.AppendUint32(nil, uint32(len(says))), says...)
	flush := http.NewResponseController(w)
	for {
		b, err := h.Next(h.ctx)
		if err == io.EOF {
			_, err = w.Write(out)
			return err
		}
		if err != nil {
			return err
		}
		out = appendBlock(out, b)
		if _, err := w.Write(out); err != nil {
			return err
		}
		if err := flush.Flush(); err != nil {
			return err
		}
		out = out[:0]
	}
}

func appendBlock(out []byte, b monitor.Block) []byte {
	le := binary.LittleEndian
	float := func(v float64) { out = le.AppendUint32(out, math.Float32bits(float32(v))) }
	out = le.AppendUint32(out, uint32(b.Sound.Frames()))
	var loudness []float64
	if l := b.Loudness; l != nil {
		loudness = []float64{l.Momentary, l.ShortTerm, l.Integrated, l.TruePeak}
	}
	out = le.AppendUint32(out, uint32(len(loudness)))
	out = le.AppendUint64(out, math.Float64bits(float64(b.At)))
	for _, m := range b.Meters {
		float(m.Peak)
		float(m.PPM)
		float(float64(m.Over))
	}
	for _, v := range loudness {
		float(v)
	}
	for _, ch := range b.Sound {
		for _, v := range ch {
			float(v)
		}
	}
	return out
}

func (s *server) getDifference(ctx context.Context, at ofSync, q contract.GetDifferenceParams) (difference, error) {
	columns := 512
	if q.Columns != nil {
		columns = *q.Columns
	}
	d, err := s.app.Difference(ctx, at.Sync, q.Ref, q.Take, q.From, q.To, columns)
	return difference{d}, err
}

type difference struct{ app.Difference }

// give writes the columns, and in the head how loud what is left is.
func (d difference) give(w http.ResponseWriter) error {
	w.Header().Set("X-Left-Db", strconv.FormatFloat(d.LeftDB, 'f', 2, 64))
	w.Header().Set("X-Scale-Db", strconv.FormatFloat(d.ScaleDB, 'f', 2, 64))
	w.Header().Set("Cache-Control", "no-store")
	return waveformColumns(d.Columns).write(w)
}
