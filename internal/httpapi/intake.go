package httpapi

import (
	"context"
	"fmt"
	"math"
	"path"
	"slices"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/audio"
	"zestyloom/core/readiness"
	"zestyloom/core/snag"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/store"
)

// page finds the production that a page of a list is about, and reads its cursor and size.
func (s *server) page(ctx context.Context, production uuid.UUID, after *string, limit *int) (p store.Production, from uuid.UUID, n int, err error) {
	if from, n, err = cursor(after, limit); err != nil {
		return p, from, n, err
	}
	p, err = s.app.Store.Production(ctx, production)
	return p, from, n, err
}

// cursor reads where a page begins, and how long it may be.
func cursor(after *string, limit *int) (from uuid.UUID, n int, err error) {
	n = 200
	if limit != nil {
		n = *limit
	}
	if after != nil && *after != "" {
		if from, err = uuid.Parse(*after); err != nil {
			return from, n, snag.Refuse("bad_cursor", "the cursor %q is not one that a page before gave", *after)
		}
	}
	return from, n, nil
}

func (s *server) listFiles(ctx context.Context, at ofProduction, q contract.ListFilesParams) (contract.FilePage, error) {
	p, after, limit, err := s.page(ctx, at.Production, q.After, q.Limit)
	if err != nil {
		return contract.FilePage{}, err
	}
	if q.Rows != nil {
		fs, err := s.app.Store.ListFilesOf(ctx, p.ID, *q.Rows)
		if err != nil {
			return contract.FilePage{}, err
		}
		items, err := s.files(ctx, p, fs)
		return contract.FilePage{Items: items, Total: len(items)}, err
	}
	fs, err := s.app.Store.ListFiles(ctx, p.ID, after, limit)
	if err != nil {
		return contract.FilePage{}, err
	}
	total, err := s.app.Store.FileCount(ctx, p.ID)
	if err != nil {
		return contract.FilePage{}, err
	}
	items, err := s.files(ctx, p, fs)
	if err != nil {
		return contract.FilePage{}, err
	}
	out := contract.FilePage{Items: items, Total: total}
	if len(fs) == limit {
		out.Next = fs[len(fs)-1].ID.String()
	}
	return out, nil
}

// waiting are files that have just been taken in, or are to be read again: nothing is known of them yet.
func waiting(fs ...store.File) []store.ListedFile {
	out := make([]store.ListedFile, len(fs))
	for i, f := range fs {
		out[i].File = f
	}
	return out
}

// files shows files with the strands made of them.
func (s *server) files(ctx context.Context, p store.Production, fs []store.ListedFile) ([]contract.File, error) {
	ids := make([]uuid.UUID, len(fs))
	for i, f := range fs {
		ids[i] = f.ID
	}
	strands, err := s.app.Store.StrandsOfFiles(ctx, ids)
	if err != nil {
		return nil, err
	}
	type at struct {
		file    uuid.UUID
		channel int
	}
	of := map[at]store.Strand{}
	for _, st := range strands {
		of[at{st.FileID, st.Channel}] = st
	}
	out := []contract.File{}
	for _, f := range fs {
		v := contract.File{
			Id: f.ID, Name: f.Name, Size: f.Size, Origin: contract.FileOrigin(f.Origin), DuplicateOf: f.SameAs, State: contract.FileState(f.State), Hash: f.Hash,
			Error: contract.Snag{Code: f.ErrorCode, Message: f.ErrorMessage}, Snags: []contract.Snag{}, Tracks: []contract.FileTrack{}, Streams: []string{},
		}
		if a := f.Facts; a != nil {
			v.Container, v.Coding, v.SampleRate, v.Channels, v.Frames = a.Container, a.Coding, a.SampleRate, a.Channels, a.Frames
			v.Total, v.Done = a.Frames, a.Frames
			if a.Facts.Start >= 0 {
				v.StartTimecode = p.Rate().FormatSamples(a.Facts.Start, int64(a.SampleRate))
			}
			v.Snags, v.Listed = snags(a.Facts.Snags), contract.FileListed(a.Listed)
			if f.Lost != nil {
				v.Snags = append(v.Snags, contract.Snag{Code: f.Lost.Code, Message: f.Lost.Message})
			}
			for _, asked := range f.Asked {
				u := readiness.Undecided(asked)
				v.Snags = append(v.Snags, contract.Snag{Code: u.Code, Message: u.Message})
			}
			v.Streams, v.Picture = pictureWords(a)
			if a.Strip != nil {
				v.Strip = &contract.Strip{Count: a.Strip.Count, Width: a.Strip.Width, Height: a.Strip.Height}
			}
			if a.SampleRate != p.SampleRate {
				v.Snags = append(v.Snags, contract.Snag{Code: "other_rate", Message: rateSnag(a.SampleRate, p.SampleRate)})
			}
			for c, l := range a.Levels {
				t := contract.FileTrack{
					Channel: c + 1, Label: a.Facts.Tracks[c].Label, PeakDbfs: decibels(l.Peak), RmsDbfs: decibels(l.RMS),
					Silent: l.Peak < audio.Gain(audio.SilenceDB),
				}
				if c < len(a.Survey.Channels) {
					sv := a.Survey.Channels[c]
					t.NoiseDbfs, t.Dc, t.Clipped, t.ClippedRuns, t.Silence = decibels(sv.NoiseFloor), sv.DC, sv.Clipped, sv.ClippedRuns, sv.Silence
				}
				if st, ok := of[at{f.ID, c + 1}]; ok {
					t.Strand, t.Label = st.ID.String(), st.Label
				}
				v.Tracks = append(v.Tracks, t)
			}
		}
		out = append(out, v)
	}
	return out, nil
}

func snags(in []snag.Snag) []contract.Snag {
	out := []contract.Snag{}
	for _, s := range in {
		out = append(out, contract.Snag{Code: s.Code, Message: s.Message})
	}
	return out
}

// decibels rounds to hundredths; nil is silence.
func decibels(linear float64) *float64 {
	if linear == 0 {
		return nil
	}
	db := math.Round(audio.Decibels(linear)*100) / 100
	return &db
}

func rateSnag(file, production int) string {
	return fmt.Sprintf("the file is at %d Hz and the production at %d Hz: it is kept as it is and converted when it is used", file, production)
}

func (s *server) takeFromShelf(ctx context.Context, at ofProduction, body contract.ShelfOrder) ([]contract.File, error) {
	p, err := s.app.Store.Production(ctx, at.Production)
	if err != nil {
		return nil, err
	}
	fs, err := s.app.TakeFromShelf(ctx, p.ID, body.Paths, body.InPlace != nil && *body.InPlace)
	if err != nil {
		return nil, err
	}
	if err := s.watcher.Look(ctx); err != nil { // they are not offered any more
		return nil, err
	}
	return s.files(ctx, p, waiting(fs...))
}

func (s *server) listShelf(ctx context.Context, _ none, q contract.ListShelfParams) (contract.Shelf, error) {
	out := contract.Shelf{Given: s.app.Shelf != nil, Entries: []contract.ShelfEntry{}}
	if s.app.Shelf == nil {
		return out, nil
	}
	if q.Path != nil {
		out.Path = *q.Path
	}
	here := map[string]bool{}
	if q.Production != nil {
		var err error
		if here, err = s.app.Store.OnShelf(ctx, *q.Production); err != nil {
			return contract.Shelf{}, err
		}
	}
	if q.Search != nil {
		found, err := s.app.Shelf.Walk(out.Path)
		if err != nil {
			return contract.Shelf{}, err
		}
		words := strings.Fields(strings.ToLower(*q.Search))
		for _, f := range found {
			at := strings.ToLower(f.Path)
			if len(out.Entries) < maxOffered && !slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(at, w) }) {
				out.Entries = append(out.Entries, contract.ShelfEntry{Name: path.Base(f.Path), Path: f.Path, Size: f.Size, Here: here[f.Path]})
			}
		}
		return out, nil
	}
	es, err := s.app.Shelf.List(out.Path)
	if err != nil {
		return contract.Shelf{}, err
	}
	for _, e := range es {
		out.Entries = append(out.Entries, contract.ShelfEntry{Name: e.Name, Path: e.Path, Folder: e.Folder, Size: e.Size, Here: here[e.Path]})
	}
	return out, nil
}

func (s *server) removeFile(ctx context.Context, at ofFile, _ none) (none, error) {
	return none{}, s.app.RemoveFile(ctx, at.File)
}

func (s *server) retryFile(ctx context.Context, at ofFile, _ none) (contract.File, error) {
	f, err := s.app.RetryFile(ctx, at.File)
	if err != nil {
		return contract.File{}, err
	}
	p, err := s.app.Store.Production(ctx, f.ProductionID)
	if err != nil {
		return contract.File{}, err
	}
	items, err := s.files(ctx, p, waiting(f))
	if err != nil {
		return contract.File{}, err
	}
	return items[0], nil
}
