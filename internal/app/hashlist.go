package app

import (
	"context"
	"errors"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/google/uuid"

	"zestyloom/core/mhl"
	"zestyloom/core/snag"
	"zestyloom/internal/store"
)

// HashList lists what was taken in, with the hashes that intake worked out.
func (a *App) HashList(ctx context.Context, production uuid.UUID) (mhl.List, error) {
	l := mhl.List{Created: a.Now(), Tool: "Zesty Loom"}
	if _, err := a.Store.Production(ctx, production); err != nil {
		return l, err
	}
	fs, err := ready(ctx, a.Store.Queries, production)
	for _, f := range fs {
		l.Entries = append(l.Entries, mhl.Entry{Path: listedPath(f), Size: f.Size, Hashes: []mhl.Hash{{Kind: "xxh64", Value: f.Hash}}})
	}
	return l, err
}

// ListCheck is what a hash list that was given makes of the files that are here.
type ListCheck struct {
	ID      uuid.UUID
	Name    string
	Entries int
	Matches int
	Differs []string // names of files here that are not what was listed
	Waiting int      // files here that are still being read
	Missing []string // paths of recordings in the list that have not arrived
}

// GiveHashList keeps a hash list that came by itself, and has the files that are here already
// compared with it. Those that arrive later are compared when they do.
func (a *App) GiveHashList(ctx context.Context, production uuid.UUID, name string, text io.Reader) error {
	l, err := mhl.Read(text)
	if err != nil {
		return err
	}
	if len(l.Entries) == 0 {
		return snag.Refuse("empty_hash_list", "%s lists no file: there is nothing to compare", name)
	}
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.LockProduction(ctx, production); err != nil {
			return err
		}
		row := store.HashList{ID: store.NewID(), ProductionID: production, Name: displayName(name), Body: *l}
		if err := tx.InsertHashList(ctx, row); err != nil {
			return err
		}
		return a.queueChecks(ctx, tx, production, l)
	})
}

// RemoveHashList forgets a list; what it said of files goes with it.
func (a *App) RemoveHashList(ctx context.Context, id uuid.UUID) error {
	return a.Store.InTx(ctx, func(tx store.Tx) error {
		l, err := tx.HashListByID(ctx, id)
		if err != nil {
			return err
		}
		if err := tx.DeleteHashList(ctx, id); err != nil {
			return err
		}
		return a.queueChecks(ctx, tx, l.ProductionID, &l.Body)
	})
}

// queueChecks has every file that a list names compared anew.
func (a *App) queueChecks(ctx context.Context, tx store.Tx, production uuid.UUID, l *mhl.List) error {
	fs, err := ready(ctx, tx.Queries, production)
	if err != nil {
		return err
	}
	named := map[string]bool{}
	for _, e := range l.Entries {
		named[e.Path[strings.LastIndexByte(e.Path, '/')+1:]] = true
	}
	for _, f := range fs {
		if named[f.Name] {
			if _, err := a.Queue.Add(ctx, tx.Tx, CheckJob{f.ID}); err != nil {
				return err
			}
		}
	}
	return publish(ctx, tx.Queries, Event{Production: production, Kind: "files"})
}

// ready lists a production's files that are whole and read.
func ready(ctx context.Context, q store.Queries, production uuid.UUID) (out []store.File, err error) {
	for after := (uuid.UUID{}); ; {
		fs, err := q.FilesAfter(ctx, production, after, 1000)
		if err != nil || len(fs) == 0 {
			return out, err
		}
		for _, f := range fs {
			if after = f.ID; f.State == "ready" {
				out = append(out, f)
			}
		}
	}
}

// CheckJob asks for a file to be compared with hash lists.
type CheckJob struct {
	File uuid.UUID `json:"file"`
}

// Kind implements Job.
func (CheckJob) Kind() string { return "check" }

// Check is the work of a job: compare a file with the hash lists that name it.
func (a *App) Check(ctx context.Context, id uuid.UUID) error {
	f, err := a.Store.File(ctx, id)
	if err != nil || f.State != "ready" {
		if errors.Is(err, ErrNotFound) {
			err = nil // removed meanwhile
		}
		return err
	}
	an := *f.Facts
	if err := a.checkListed(ctx, f, f.Hash, &an); err != nil {
		return err
	}
	if err := a.Store.SetFacts(ctx, id, an); err != nil {
		return err
	}
	return publish(ctx, a.Store.Queries, Event{Production: f.ProductionID, Kind: "files", ID: id.String()})
}

// checkListed compares a file with the hash list beside its original, and with those that came by
// themselves, by its name there. One entry that it agrees with is enough: names repeat from card to
// card.
func (a *App) checkListed(ctx context.Context, f store.File, hash string, an *store.Analysis) error {
	an.Listed = ""
	an.Facts.Snags = slices.DeleteFunc(slices.Clone(an.Facts.Snags), func(s snag.Snag) bool {
		return s.Code == "hash_list_differs" || s.Code == "bad_hash_list"
	})
	var entries []mhl.Entry
	if f.Origin != "upload" && a.Shelf != nil {
		e, ok, err := a.Shelf.Listed(f.SourcePath)
		if err != nil {
			r := snag.Of(err)
			an.Facts.Snags = append(an.Facts.Snags, snag.Snag{Code: r.Code, Message: r.Message})
		} else if ok {
			entries = append(entries, e)
		}
	}
	lists, err := a.Store.HashLists(ctx, f.ProductionID)
	if err != nil {
		return err
	}
	for _, l := range lists {
		entries = append(entries, l.Body.Named(f.Name)...)
	}
	var differs error
	for _, e := range entries {
		err := a.verify(f, hash, e)
		if err == nil {
			an.Listed = "matches"
			return nil
		}
		if differs == nil {
			differs = err
		}
	}
	if differs != nil {
		r := snag.Of(differs)
		an.Listed = "differs"
		an.Facts.Snags = append(an.Facts.Snags, snag.Snag{Code: r.Code, Message: r.Message})
	}
	return nil
}

// verify compares a file with an entry. The hash that intake worked out spares reading it again.
func (a *App) verify(f store.File, hash string, e mhl.Entry) error {
	if listed := e.Hash("xxh64"); len(e.Hashes) == 1 && strings.EqualFold(listed, hash) && (e.Size < 0 || e.Size == f.Size) {
		return nil
	}
	path, err := a.original(f)
	if err != nil {
		return err
	}
	file, err := os.Open(path)
	if err != nil {
		return err
	}
	defer file.Close()
	return e.Verify(file)
}

// HashLists says what the lists that were given make of the files that are here.
func (a *App) HashLists(ctx context.Context, production uuid.UUID) ([]ListCheck, error) {
	lists, err := a.Store.HashLists(ctx, production)
	if err != nil || len(lists) == 0 {
		return nil, err
	}
	fs, err := ready(ctx, a.Store.Queries, production)
	if err != nil {
		return nil, err
	}
	byName := map[string][]store.File{}
	for _, f := range fs {
		byName[f.Name] = append(byName[f.Name], f)
	}
	var out []ListCheck
	for _, l := range lists {
		c := ListCheck{ID: l.ID, Name: l.Name, Entries: len(l.Body.Entries)}
		seen := map[uuid.UUID]bool{}
		for _, e := range l.Body.Entries {
			here := byName[e.Path[strings.LastIndexByte(e.Path, '/')+1:]]
			if len(here) == 0 {
				c.Missing = append(c.Missing, e.Path)
			}
			for _, f := range here {
				if seen[f.ID] {
					continue
				}
				seen[f.ID] = true
				switch f.Facts.Listed {
				case "matches":
					c.Matches++
				case "differs":
					c.Differs = append(c.Differs, f.Name)
				default:
					c.Waiting++
				}
			}
		}
		out = append(out, c)
	}
	return out, nil
}
