package httpapi

import (
	"context"
	"encoding/base64"
	"encoding/binary"
	"io"
	"net/http"
	"slices"
	"strconv"

	"github.com/google/uuid"

	"zestyloom/core/take"
	"zestyloom/core/waveform"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

func (s *server) listTakes(ctx context.Context, at ofProduction, q contract.ListTakesParams) (contract.TakePage, error) {
	p, after, limit, err := s.page(ctx, at.Production, q.After, q.Limit)
	if err != nil {
		return contract.TakePage{}, err
	}
	if q.Rows != nil {
		ts, err := s.app.Store.ListTakesOf(ctx, p.ID, *q.Rows)
		if err != nil {
			return contract.TakePage{}, err
		}
		items, err := s.takes(ctx, p, ts)
		return contract.TakePage{Items: items, Total: len(items)}, err
	}
	ts, err := s.app.Store.ListTakes(ctx, p.ID, after, limit)
	if err != nil {
		return contract.TakePage{}, err
	}
	total, err := s.app.Store.TakeCount(ctx, p.ID)
	if err != nil {
		return contract.TakePage{}, err
	}
	items, err := s.takes(ctx, p, ts)
	if err != nil {
		return contract.TakePage{}, err
	}
	out := contract.TakePage{Items: items, Total: total}
	if len(ts) == limit {
		out.Next = ts[len(ts)-1].ID.String()
	}
	return out, nil
}

func (s *server) takes(ctx context.Context, p store.Production, ts []store.ListedTake) ([]contract.Take, error) {
	ids := make([]uuid.UUID, len(ts))
	for i, t := range ts {
		ids[i] = t.ID
	}
	strands, err := s.app.Store.ListStrands(ctx, ids)
	if err != nil {
		return nil, err
	}
	of := make(map[uuid.UUID][]store.ListedStrand, len(ts)) // they come take by take
	for from := 0; from < len(strands); {
		to := from + 1
		for to < len(strands) && strands[to].TakeID == strands[from].TakeID {
			to++
		}
		of[strands[from].TakeID] = strands[from:to]
		from = to
	}
	out := make([]contract.Take, 0, len(ts))
	for _, listed := range ts {
		t := listed.Take
		v := contract.Take{
			Id: t.ID, Name: t.Name, Scene: t.Scene, Take: t.Take, Roll: t.Roll, Note: t.Note, Circled: t.Circled, WildTrack: t.WildTrack,
			NoGood: t.NoGood, FalseStart: t.FalseStart, SceneWas: t.SceneWas, TakeWas: t.TakeWas, Recorder: t.Recorder, Day: t.Day,
			Start: t.StartSamples, SampleRate: t.SampleRate, Frames: t.Length(), Snags: snags(app.ListedReadiness(listed, of[t.ID]).Snags()), Strands: make([]contract.Strand, 0, len(of[t.ID])),
			Reels: []uuid.UUID{}, Readings: readingsOf(t.Readings), Why: t.Why, Order: t.OrderWords, Final: t.Final(), Accepted: t.Accepted,
			MissingRemedy: contract.TakeMissingRemedy(t.MissingRemedy), LengthRemedy: contract.TakeLengthRemedy(t.LengthRemedy),
			Suggestions: suggestions(listed.Open), LinedUp: t.StartSet != nil, DriftPpm: t.DriftSet, Sync: synced(listed), Camera: listed.Camera,
		}
		if t.StartSamples != nil {
			v.StartTimecode = p.Rate().FormatSamples(*t.StartSamples, int64(t.SampleRate))
		}
		for _, st := range of[t.ID] {
			for _, r := range st.Reels {
				if !slices.Contains(v.Reels, r) {
					v.Reels = append(v.Reels, r)
				}
			}
			v.Strands = append(v.Strands, contract.Strand{
				Id: st.ID, Position: st.Position, Label: st.Label, LabelSource: contract.StrandLabelSource(st.LabelSource), RecorderTrack: st.RecorderTrack,
				Mix: take.IsMix(st.Label), PeakDbfs: decibels(st.Peak), RmsDbfs: decibels(st.RMS), Silent: silent(st.Strand),
				Frames: st.Frames, File: st.FileID, FileName: st.FileName, Channel: st.Channel,
				Stem: st.Stem, Part: st.Part, Off: st.Treat.Off, Invert: st.Treat.Invert, TrimDb: st.Treat.TrimDB, Delay: st.Treat.Delay, HighPass: st.Treat.HighPass, Chain: st.Treat.Chain, Treated: st.Treat.Chain.Says(), Detached: st.Detached, Shift: st.Shift,
				Shape: base64.StdEncoding.EncodeToString(st.Shape),
			})
		}
		v.InReel = len(v.Reels) > 0
		out = append(out, v)
	}
	return out, nil
}

func (s *server) labelStrand(ctx context.Context, at ofStrand, body contract.StrandLabel) (contract.Take, error) {
	t, err := s.app.LabelStrand(ctx, at.Strand, body.Label, body.Was)
	if err != nil {
		return contract.Take{}, err
	}
	p, err := s.app.Store.Production(ctx, t.ProductionID)
	if err != nil {
		return contract.Take{}, err
	}
	listed, err := s.app.Store.ListTakesOf(ctx, p.ID, []uuid.UUID{t.ID})
	if err != nil {
		return contract.Take{}, err
	}
	items, err := s.takes(ctx, p, listed)
	if err != nil {
		return contract.Take{}, err
	}
	return items[0], nil
}

func (s *server) getWaveform(ctx context.Context, at ofSignal, q contract.GetWaveformParams) (waveformColumns, error) {
	from, to, columns := int64(0), int64(0), 512
	if q.From != nil {
		from = *q.From
	}
	if q.To != nil {
		to = *q.To
	}
	if q.Columns != nil {
		columns = *q.Columns
	}
	pairs, err := s.app.Waveform(ctx, at.Strand, from, to, columns)
	if err != nil {
		return waveformColumns{}, err
	}
	return waveformColumns(pairs), nil
}

type waveformColumns []waveform.Pair

// give writes the pairs. A strand's sound never changes, so they may be kept.
func (p waveformColumns) give(w http.ResponseWriter) error {
	w.Header().Set("Cache-Control", "private, max-age=86400, immutable")
	return p.write(w)
}

func (p waveformColumns) write(w http.ResponseWriter) error {
	b := make([]byte, 0, 4*len(p))
	for _, v := range p {
		b = binary.LittleEndian.AppendUint16(b, uint16(v.Min))
		b = binary.LittleEndian.AppendUint16(b, uint16(v.Max))
	}
	w.Header().Set("Content-Type", "application/octet-stream")
	_, err := w.Write(b)
	return err
}

func (s *server) getSound(ctx context.Context, at ofSignal, q contract.GetSoundParams) (soundStream, error) {
	var from, frames int64
	if q.From != nil {
		from = *q.From
	}
	if q.Frames != nil {
		frames = *q.Frames
	}
	sound, _, err := s.app.OpenSound(ctx, at.Strand, from, frames)
	if err != nil {
		return soundStream{}, err
	}
	return soundStream{sound}, nil
}

type soundStream struct{ sound *app.Sound }

// give streams the samples, each block as soon as it is read.
func (s soundStream) give(w http.ResponseWriter) error {
	defer s.sound.Close()
	w.Header().Set("Content-Type", "application/octet-stream")
	w.Header().Set("X-Sample-Rate", strconv.Itoa(s.sound.Rate()))
	w.Header().Set("Content-Length", strconv.FormatInt(4*s.sound.Frames(), 10))
	w.Header().Set("Cache-Control", "no-store")
	flush := http.NewResponseController(w)
	buf := make([]byte, 1<<14)
	for {
		n, err := s.sound.Read(buf)
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
		if _, err := w.Write(buf[:n]); err != nil {
			return err
		}
		if err := flush.Flush(); err != nil {
			return err
		}
	}
}
