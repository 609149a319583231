package app

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path"
	"slices"
	"strconv"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/snag"
	"zestyloom/core/take"
	"zestyloom/core/wholefile"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// TakeUpload takes a finished upload in: the file gets its place and its analysis is queued.
func (a *App) TakeUpload(ctx context.Context, production uuid.UUID, name, upload string, size int64) (store.File, error) {
	return a.takeUpload(ctx, store.NewID(), production, name, upload, size)
}

// takeUpload gives an upload its place, then the row that makes it a file, and only then lets go of the upload. Killed
// in between, it is done again under the same id, and nothing is missing or doubled.
func (a *App) takeUpload(ctx context.Context, id, production uuid.UUID, name, upload string, size int64) (store.File, error) {
	f := store.File{ID: id, ProductionID: production, Name: displayName(name), Size: size, Origin: "upload", State: "waiting"}
	f.Path = a.Media.OriginalPath(f.ID, f.Name)
	if err := a.Media.Adopt(upload, f.Path); err != nil {
		return f, err
	}
	if err := a.insertFile(ctx, f); err != nil {
		// It is still an upload, and is tried again as one; but a database that went away may have kept the row.
		if _, e := os.Stat(upload); e == nil && !store.Passing(err) {
			err = errors.Join(err, a.Media.RemoveOriginal(f.ID))
		}
		return f, err
	}
	return f, media.Forget(upload)
}

// SweepUploads takes in the uploads that are whole and were not, as when the database was gone at their last byte or
// the server was killed there, and says how many.
func (a *App) SweepUploads(ctx context.Context) (taken int, err error) {
	whole, err := a.Media.WholeUploads()
	if err != nil {
		return 0, err
	}
	for _, u := range whole {
		if _, e := a.TakeWholeUpload(ctx, u); e != nil {
			err = errors.Join(err, e)
			continue
		}
		taken++
	}
	return taken, err
}

// TakeWholeUpload takes one in, and forgets that it was an upload. Only one request or sweep does so at a time.
func (a *App) TakeWholeUpload(ctx context.Context, u media.Upload) (store.File, error) {
	if u.Whole() { // before it is its turn: many that come at once are flushed together
		if err := wholefile.Flush(u.Path); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return store.File{}, err
		}
	}
	a.uploading.Lock()
	defer a.uploading.Unlock()
	if there, err := a.Store.File(ctx, u.File); err == nil { // its row was all that it still needed, and is there
		if _, err := os.Stat(u.Path); err == nil {
			if err := a.Media.Adopt(u.Path, there.Path); err != nil {
				return there, err
			}
		}
		return there, u.Forget()
	} else if !errors.Is(err, ErrNotFound) {
		return there, err
	}
	if !u.There() {
		return store.File{}, ErrNotFound // another has been quicker, and the file was removed again
	}
	production, err := uuid.Parse(u.Production)
	if err != nil {
		return store.File{}, snag.Refuse("no_production", "the upload of %s names no production", u.Name)
	}
	f, err := a.takeUpload(ctx, u.File, production, u.Name, u.Path, u.Size)
	if err != nil {
		return f, err
	}
	return f, u.Forget()
}

// TakeFromShelf takes files of the shelf in: by copy, or in place, where they stay and are only read.
// All are known to be there before any is taken.
func (a *App) TakeFromShelf(ctx context.Context, production uuid.UUID, paths []string, inPlace bool) ([]store.File, error) {
	if a.Shelf == nil {
		return nil, errNoShelf
	}
	var fs []store.File
	for _, p := range paths {
		size, _, err := a.Shelf.Stat(p)
		if err != nil {
			return nil, err
		}
		f := store.File{ID: store.NewID(), ProductionID: production, Name: displayName(path.Base(p)), SourcePath: p, Size: size, Origin: "shelf", State: "waiting"}
		if f.Path = a.Media.OriginalPath(f.ID, f.Name); inPlace {
			f.Origin, f.Path = "linked", ""
		}
		fs = append(fs, f)
	}
	return fs, a.insertFile(ctx, fs...)
}

func (a *App) insertFile(ctx context.Context, fs ...store.File) error {
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		for _, f := range fs {
			if _, err := tx.Production(ctx, f.ProductionID); err != nil {
				return err
			}
			if err := tx.InsertFile(ctx, f); err != nil {
				return err
			}
			if err := a.queueAnalysis(ctx, tx, f); err != nil {
				return err
			}
		}
		return nil
	})
}

func (a *App) queueAnalysis(ctx context.Context, tx store.Tx, f store.File) error {
	job, err := a.Queue.Add(ctx, tx.Tx, AnalyseJob{f.ID})
	if err != nil {
		return err
	}
	if err := tx.SetFileJob(ctx, f.ID, job); err != nil {
		return err
	}
	return publish(ctx, tx.Queries, Event{Production: f.ProductionID, Kind: "files", ID: f.ID.String()})
}

// displayName is a name from outside as it can be shown: its last element, in valid UTF-8 without
// control characters, of at most 300 letters.
func displayName(name string) string {
	name = strings.ToValidUTF8(path.Base(strings.ReplaceAll(name, `\`, "/")), "\uFFFD")
	name = strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7F {
			return '\uFFFD'
		}
		return r
	}, name)
	if r := []rune(name); len(r) > 300 {
		ext := []rune(path.Ext(name))
		if len(ext) > 10 {
			ext = nil
		}
		name = string(r[:300-len(ext)]) + string(ext)
	}
	if name == "" || name == "." || name == "/" {
		return "unnamed"
	}
	return name
}

// RetryFile analyses a refused file again.
func (a *App) RetryFile(ctx context.Context, id uuid.UUID) (f store.File, err error) {
	return f, a.Store.InTx(ctx, func(tx store.Tx) error {
		if f, err = tx.File(ctx, id); err != nil {
			return err
		}
		if f.State != "refused" {
			return snag.Refuse("not_refused", "%s is not refused: there is nothing to try again", f.Name)
		}
		f.State = "waiting"
		if err := tx.SetFileState(ctx, id, f.State, nil); err != nil {
			return err
		}
		return a.queueAnalysis(ctx, tx, f)
	})
}

// RemoveFile removes a file with everything made of it, ending its analysis where that is under
// way. A file whose strands lie in a reel stays.
func (a *App) RemoveFile(ctx context.Context, id uuid.UUID) error {
	var f store.File
	err := a.Store.InTx(ctx, func(tx store.Tx) (err error) {
		if f, err = tx.File(ctx, id); err != nil {
			return err
		}
		if _, err := tx.LockProduction(ctx, f.ProductionID); err != nil {
			return err
		}
		strands, err := tx.StrandsOfFiles(ctx, []uuid.UUID{id})
		if err != nil {
			return err
		}
		used, err := tx.StrandsInReels(ctx, f.ProductionID)
		if err != nil {
			return err
		}
		for _, s := range strands {
			if used[s.ID.String()] {
				return snag.Refuse("in_use", "%s is in the reel: take its clips out first", f.Name)
			}
		}
		if err := notSeen(ctx, tx, f); err != nil {
			return err
		}
		if err := tx.DeleteFile(ctx, id); err != nil {
			return err
		}
		if err := a.regroupTakes(ctx, tx, strands); err != nil {
			return err
		}
		if err := a.resum(ctx, tx, f.ProductionID); err != nil {
			return err
		}
		return publish(ctx, tx.Queries, Event{Production: f.ProductionID, Kind: "files", ID: id.String()}, Event{Production: f.ProductionID, Kind: "takes"})
	})
	if err != nil {
		return err
	}
	if f.JobID != nil && (f.State == "waiting" || f.State == "analysing") {
		err = a.Queue.Cancel(ctx, *f.JobID)
	}
	return errors.Join(err, a.Media.RemoveOriginal(id))
}

// AnalyseJob asks for the analysis of a file.
type AnalyseJob struct {
	File uuid.UUID `json:"file"`
}

// Kind implements Job.
func (AnalyseJob) Kind() string { return "analyse" }

// Analyse is the work of an intake job: bring the file here, read it once, and make it part of a
// take. A file that is at fault is refused, with the reason; the error is for what is worth
// another try.
func (a *App) Analyse(ctx context.Context, id uuid.UUID) error {
	f, err := a.Store.File(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return nil // removed meanwhile
	}
	if err != nil {
		return err
	}
	if f.State == "ready" || f.State == "duplicate" {
		return nil // a worker was killed after its work was done
	}
	changed := Event{Production: f.ProductionID, Kind: "files", ID: id.String()}
	if err := a.Store.SetFileState(ctx, id, "analysing", nil); err != nil {
		return err
	}
	if err := publish(ctx, a.Store.Queries, changed); err != nil {
		return err
	}
	ctx, free := a.Media.Guard(ctx)
	defer free()
	err = a.analyse(ctx, f)
	switch {
	case ctx.Err() != nil && errors.As(context.Cause(ctx), new(*snag.Refusal)):
		err = context.Cause(ctx) // such as a disk that became full
	case err == nil || ctx.Err() != nil:
		return errors.Join(err, a.cleanIfGone(context.WithoutCancel(ctx), id))
	case store.Passing(err):
		return err // nothing is the matter with the file: it is read when the database is back
	}
	return a.RefuseFile(context.WithoutCancel(ctx), id, a.Media.Refusal(err))
}

// RefuseFile says that a file can't be read, and why.
func (a *App) RefuseFile(ctx context.Context, id uuid.UUID, why *snag.Refusal) error {
	f, err := a.Store.File(ctx, id)
	if err == nil {
		err = a.Store.SetFileState(ctx, id, "refused", why)
	}
	if errors.Is(err, ErrNotFound) {
		return a.cleanIfGone(ctx, id)
	}
	if err != nil {
		return err
	}
	return publish(ctx, a.Store.Queries, Event{Production: f.ProductionID, Kind: "files", ID: id.String()})
}

// cleanIfGone removes what an analysis wrote for a file that was removed while it ran.
func (a *App) cleanIfGone(ctx context.Context, id uuid.UUID) error {
	if _, err := a.Store.File(ctx, id); errors.Is(err, ErrNotFound) {
		return a.Media.RemoveOriginal(id)
	}
	return nil
}

func (a *App) analyse(ctx context.Context, f store.File) error {
	report := a.progress(ctx, f.ProductionID, f.ID)
	if err := a.Media.Room(f.Size / 100); err != nil {
		return err
	}
	if err := a.bring(ctx, &f, report); err != nil {
		return err
	}
	original, err := a.original(f)
	if err != nil {
		return err
	}
	found, err := a.Media.Analyse(ctx, f.ID, original, f.Name, report)
	if err != nil {
		return err
	}
	if _, err := a.original(f); err != nil {
		return snag.Refuse("changed_meanwhile", "%s was changed while it was read: try again when it is finished", f.Name)
	}
	an := store.Analysis{
		Container: found.Info.Container, Coding: found.Info.Format.Coding.String(), SampleRate: found.Info.Format.SampleRate,
		Channels: found.Info.Format.Channels, Mask: found.Info.Format.Mask, Frames: found.Info.Frames, Facts: found.Facts,
	}
	if err := a.checkListed(ctx, f, found.Sums.Hash(), &an); err != nil {
		return err
	}
	an.Survey, an.Strip = found.Survey, found.Strip
	if found.Picture != nil {
		an.Picture, an.Streams = found.Picture.Picture, found.Picture.Sound
	}
	var empty []string
	for c, l := range found.Survey.Channels {
		an.Levels = append(an.Levels, store.Level{Peak: l.Peak, RMS: l.RMS, Shape: found.Shapes[c]})
		if l.ClippedRuns > 0 {
			an.Facts.Snags = append(an.Facts.Snags, snag.New("clipped", "channel %d is clipped in %d places: %d samples stand at full scale", c+1, l.ClippedRuns, l.Clipped))
		}
		if l.Invalid > 0 {
			an.Facts.Snags = append(an.Facts.Snags, snag.New("not_numbers", "channel %d holds %d samples that are not numbers", c+1, l.Invalid))
		}
		if l.Silent() && !strings.HasPrefix(f.SourcePath, printOrigin) { // a print has the channels that its tracks have
			empty = append(empty, strconv.Itoa(c+1))
		}
	}
	switch len(empty) {
	case 0:
	case 1:
		an.Facts.Snags = append(an.Facts.Snags, snag.New("empty_channel", "channel %s is empty: nothing on it reaches -80 dBFS", empty[0]))
	default:
		an.Facts.Snags = append(an.Facts.Snags, snag.New("empty_channel", "channels %s are empty: nothing on them reaches -80 dBFS", strings.Join(empty, ", ")))
	}
	return a.finish(ctx, f, found, an)
}

// bring copies a file of the shelf to the media folder, or notes which one it is that stays there.
func (a *App) bring(ctx context.Context, f *store.File, report func(done, total int64)) (err error) {
	if f.Origin == "upload" {
		return nil
	}
	if f.Origin == "shelf" {
		if _, err := os.Stat(a.Media.Path(f.Path)); !errors.Is(err, os.ErrNotExist) {
			return err
		}
	}
	if a.Shelf == nil {
		return errNoShelf
	}
	if f.Origin == "linked" {
		if f.Size, f.Modified, err = a.Shelf.Stat(f.SourcePath); err != nil {
			return err
		}
		return a.Store.SetFileSize(ctx, f.ID, f.Size, f.Modified)
	}
	if err := a.Media.Room(f.Size); err != nil {
		return err
	}
	if f.Size, err = a.Shelf.CopyTo(ctx, f.SourcePath, a.Media.Path(f.Path), report); err != nil {
		return err
	}
	return a.Store.SetFileSize(ctx, f.ID, f.Size, 0)
}

// finish makes an analysed file part of a take, unless its content is here already.
func (a *App) finish(ctx context.Context, f store.File, found *media.Analysis, an store.Analysis) error {
	duplicate := false
	hash, working := found.Sums.Hash(), store.Working{}
	if err := a.lookAtTwin(ctx, f, hash); err != nil {
		return err
	}
	if err := a.Store.SaveBlocks(ctx, found.Sums); err != nil {
		return err
	}
	if found.Working != "" {
		f.WorkingPath, f.WorkingHash = found.Working, found.WorkingSums.Hash()
		working = store.Working{Path: f.WorkingPath, Hash: f.WorkingHash}
		if err := a.Store.SaveBlocks(ctx, found.WorkingSums); err != nil {
			return err
		}
	}
	said := an.Facts.Snags
	err := a.Store.InTx(ctx, func(tx store.Tx) error {
		an.Facts.Snags, duplicate = slices.Clone(said), false
		if _, err := tx.LockProduction(ctx, f.ProductionID); err != nil {
			return err
		}
		same, err := tx.FileWithHash(ctx, f.ProductionID, hash)
		switch {
		case err == nil && same.Size == f.Size && same.ID != f.ID:
			duplicate = true
			if same.Lost != nil || a.there(same) != nil {
				if err := a.putBack(ctx, tx, same, f, found); err != nil {
					return err
				}
				an.Facts.Snags = append(an.Facts.Snags, snag.New("put_back", "it was put back in the place of %s, whose original was lost or changed", same.Name))
			}
			if err := tx.FinishFile(ctx, f.ID, hash, store.Working{}, nil, an, &same.ID); err != nil {
				return err
			}
			return publish(ctx, tx.Queries, Event{Production: f.ProductionID, Kind: "files", ID: f.ID.String()})
		case err != nil && !errors.Is(err, ErrNotFound):
			return err
		}
		f.Facts = &an
		f.SetKeys = take.Keys(takeFile(f, nil))
		if an.Frames == 0 {
			f.SetKeys = nil
		}
		if err := tx.FinishFile(ctx, f.ID, hash, working, f.SetKeys, an, nil); err != nil {
			return err
		}
		if an.Frames > 0 {
			if err := a.regroup(ctx, tx, f); err != nil {
				return err
			}
		}
		return publish(ctx, tx.Queries, Event{Production: f.ProductionID, Kind: "files", ID: f.ID.String()}, Event{Production: f.ProductionID, Kind: "takes"})
	})
	if err == nil && duplicate {
		err = a.Media.RemoveOriginal(f.ID) // the first of them keeps the sound
	}
	return err
}
