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

// ListFiles implements contract.StrictServerInterface.
func (s *server) ListFiles(ctx context.Context, r contract.ListFilesRequestObject) (contract.ListFilesResponseObject, error) {
	p, after, limit, err := s.page(ctx, r.Production, r.Params.After, r.Params.Limit)
	if err != nil {
		return nil, err
	}
	if r.Params.Rows != nil {
		fs, err := s.app.Store.ListFilesOf(ctx, p.ID, *r.Params.Rows)
		if err != nil {
			return nil, err
		}
		items, err := s.files(ctx, p, fs)
		return contract.ListFiles200JSONResponse{Items: items, Total: len(items)}, err
	}
	fs, err := s.app.Store.ListFiles(ctx, p.ID, after, limit)
	if err != nil {
		return nil, err
	}
	total, err := s.app.Store.FileCount(ctx, p.ID)
	if err != nil {
		return nil, err
	}
	items, err := s.files(ctx, p, fs)
	if err != nil {
		return nil, err
	}
	out := contract.ListFiles200JSONResponse{Items: items, Total: total}
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

// TakeFromShelf implements contract.StrictServerInterface.
func (s *server) TakeFromShelf(ctx context.Context, r contract.TakeFromShelfRequestObject) (contract.TakeFromShelfResponseObject, error) {
	p, err := s.app.Store.Production(ctx, r.Production)
	if err != nil {
		return nil, err
	}
	fs, err := s.app.TakeFromShelf(ctx, p.ID, r.Body.Paths, r.Body.InPlace != nil && *r.Body.InPlace)
	if err != nil {
		return nil, err
	}
	if err := s.watcher.Look(ctx); err != nil { // they are not offered any more
		return nil, err
	}
	items, err := s.files(ctx, p, waiting(fs...))
	return contract.TakeFromShelf202JSONResponse(items), err
}

// ListShelf implements contract.StrictServerInterface.
func (s *server) ListShelf(ctx context.Context, r contract.ListShelfRequestObject) (contract.ListShelfResponseObject, error) {
	out := contract.ListShelf200JSONResponse{Given: s.app.Shelf != nil, Entries: []contract.ShelfEntry{}}
	if s.app.Shelf == nil {
		return out, nil
	}
	if r.Params.Path != nil {
		out.Path = *r.Params.Path
	}
	here := map[string]bool{}
	if r.Params.Production != nil {
		var err error
		if here, err = s.app.Store.OnShelf(ctx, *r.Params.Production); err != nil {
			return nil, err
		}
	}
	if r.Params.Search != nil {
		found, err := s.app.Shelf.Walk(out.Path)
		if err != nil {
			return nil, err
		}
		words := strings.Fields(strings.ToLower(*r.Params.Search))
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
		return nil, err
	}
	for _, e := range es {
		out.Entries = append(out.Entries, contract.ShelfEntry{Name: e.Name, Path: e.Path, Folder: e.Folder, Size: e.Size, Here: here[e.Path]})
	}
	return out, nil
}

// RemoveFile implements contract.StrictServerInterface.
func (s *server) RemoveFile(ctx context.Context, r contract.RemoveFileRequestObject) (contract.RemoveFileResponseObject, error) {
	return contract.RemoveFile204Response{}, s.app.RemoveFile(ctx, r.File)
}

// RetryFile implements contract.StrictServerInterface.
func (s *server) RetryFile(ctx context.Context, r contract.RetryFileRequestObject) (contract.RetryFileResponseObject, error) {
	f, err := s.app.RetryFile(ctx, r.File)
	if err != nil {
		return nil, err
	}
	p, err := s.app.Store.Production(ctx, f.ProductionID)
	if err != nil {
		return nil, err
	}
	items, err := s.files(ctx, p, waiting(f))
	if err != nil {
		return nil, err
	}
	return contract.RetryFile202JSONResponse(items[0]), nil
}

var _ contract.StrictServerInterface = (*server)(nil)
