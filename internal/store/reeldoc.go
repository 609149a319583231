package store

import (
	"context"
	"encoding/json"
	"fmt"
	"sync"

	"github.com/google/uuid"

	"zestyloom/core/reel"
)

// snapshotEvery is how many edits of a reel are logged before it is written whole again: so many are carried out, at most,
// when it is read for the first time.
const snapshotEvery = 64

// mostDocs bounds how many states of reels are kept in memory.
const mostDocs = 48

// docs keeps the states of reels that were read or made last. A state is never changed, so it may be shared.
type docs struct {
	mu    sync.Mutex
	kept  map[docKey]reel.Reel
	order []docKey // the last used last
}

// docKey names a state: heads are never used twice, even where a transaction came to nothing.
type docKey struct {
	reel uuid.UUID
	head int64
}

func newDocs() *docs { return &docs{kept: map[docKey]reel.Reel{}} }

func (d *docs) get(k docKey) (reel.Reel, bool) {
	d.mu.Lock()
	defer d.mu.Unlock()
	r, ok := d.kept[k]
	if ok {
		d.used(k)
	}
	return r, ok
}

func (d *docs) put(k docKey, r reel.Reel) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.kept[k] = r
	d.used(k)
	if len(d.order) > mostDocs {
		delete(d.kept, d.order[0])
		d.order = d.order[1:]
	}
}

func (d *docs) used(k docKey) {
	for i, o := range d.order {
		if o == k {
			d.order = append(d.order[:i], d.order[i+1:]...)
			break
		}
	}
	d.order = append(d.order, k)
}

// open gives a row its document.
func (q Queries) open(ctx context.Context, row reelRow) (Reel, error) {
	r := Reel{ID: row.ID, ProductionID: row.ProductionID, Name: row.Name, Version: row.Version, Removed: row.Removed, SpecID: row.SpecID, Family: row.Family, head: row.Head, snapshot: row.Snapshot}
	var err error
	r.Doc, err = q.docAt(ctx, row.ID, row.Version, row.Head)
	return r, err
}

// docAt is a reel as it is at a version, of which the last row of its log is head.
func (q Queries) docAt(ctx context.Context, id uuid.UUID, version, head int64) (reel.Reel, error) {
	if doc, ok := q.docs.get(docKey{id, head}); ok {
		return doc, nil
	}
	kept, err := one[struct {
		Doc      reel.Reel
		Snapshot int64
	}](ctx, q, `SELECT doc, snapshot FROM reels WHERE id = $1`, id)
	if err != nil {
		return reel.Reel{}, err
	}
	log, err := many[struct {
		Version int64
		Ops     json.RawMessage
	}](ctx, q, `SELECT version, ops FROM reel_log WHERE reel_id = $1 AND version > $2 AND version <= $3 ORDER BY version`, id, kept.Snapshot, version)
	if err != nil {
		return reel.Reel{}, err
	}
	doc, at := kept.Doc, kept.Snapshot
	for _, l := range log {
		var ops []reel.Op
		if err := json.Unmarshal(l.Ops, &ops); err != nil {
			return doc, fmt.Errorf("version %d of reel %s is not understood: %w", l.Version, id, err)
		}
		if doc, _, err = reel.Apply(doc, ops); err != nil {
			return doc, fmt.Errorf("version %d of reel %s can't be made again: %w", l.Version, id, err)
		}
		at = l.Version
	}
	if at != version {
		return doc, fmt.Errorf("reel %s is at version %d, its log at %d", id, version, at)
	}
	q.docs.put(docKey{id, head}, doc)
	return doc, nil
}

// ReelEdit is a row of a reel's log, without its operations.
type ReelEdit struct {
	ID      int64
	Version int64
	Session string
	Touched []string
}

// ReelEdits lists what was done to a reel after a version, the first first.
func (q Queries) ReelEdits(ctx context.Context, id uuid.UUID, after int64) ([]ReelEdit, error) {
	return many[ReelEdit](ctx, q, `SELECT id, version, session, touched FROM reel_log WHERE reel_id = $1 AND version > $2 ORDER BY version`, id, after)
}

// ReelAt is a reel as it was at a version, if that is at hand in memory.
func (q Queries) ReelAt(ctx context.Context, id uuid.UUID, version int64) (reel.Reel, bool, error) {
	// Before the first row of its log a reel has the head 0.
	at, err := many[struct{ Head int64 }](ctx, q, `SELECT id AS head FROM reel_log WHERE reel_id = $1 AND version = $2
		UNION ALL SELECT 0 FROM reels WHERE id = $1 AND version - (SELECT count(*) FROM reel_log WHERE reel_id = $1) = $2`, id, version)
	if err != nil || len(at) == 0 {
		return reel.Reel{}, false, err
	}
	doc, ok := q.docs.get(docKey{id, at[0].Head})
	return doc, ok, nil
}
