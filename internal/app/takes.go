package app

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/picture"
	"zestyloom/core/survey"
	"zestyloom/core/take"
	"zestyloom/internal/store"
)

// takeFile is a file as far as grouping goes; t is the take it is in, if any.
func takeFile(f store.File, t *store.Take) take.File {
	tf := take.File{
		Key: f.ID.String(), Name: f.Name, Channels: f.Facts.Channels, SampleRate: f.Facts.SampleRate, Frames: f.Facts.Frames, Facts: f.Facts.Facts,
		Alone: f.Alone,
	}
	if t != nil && (f.Pinned || t.Accepted) {
		tf.Pin = t.ID.String()
	}
	return tf
}

// family finds all files that may belong together with one: those that share a key with it, with
// those, and so on.
func family(ctx context.Context, tx store.Tx, f store.File) ([]store.File, error) {
	keys := slices.Clone(f.SetKeys)
	if len(keys) == 0 {
		return []store.File{f}, nil
	}
	for {
		fs, err := tx.FilesOfSets(ctx, f.ProductionID, keys)
		if err != nil {
			return nil, err
		}
		known := len(keys)
		for _, o := range fs {
			for _, k := range o.SetKeys {
				if !slices.Contains(keys, k) {
					keys = append(keys, k)
				}
			}
		}
		if len(keys) == known {
			return fs, nil
		}
	}
}

// regroup sorts a file, and all that may belong together with it, into takes anew. What a person
// has placed stays where it is.
func (a *App) regroup(ctx context.Context, tx store.Tx, f store.File) error {
	files, err := family(ctx, tx, f)
	if err != nil {
		return err
	}
	byKey := map[string]store.File{}
	var ids []uuid.UUID
	for _, o := range files {
		byKey[o.ID.String()] = o
		ids = append(ids, o.ID)
	}
	strands, err := tx.StrandsOfFiles(ctx, ids)
	if err != nil {
		return err
	}
	home := map[uuid.UUID]uuid.UUID{} // of files
	takes := map[uuid.UUID]*store.Take{}
	for _, s := range strands {
		home[s.FileID] = s.TakeID
		if takes[s.TakeID] == nil {
			t, err := tx.Take(ctx, s.TakeID)
			if err != nil {
				return err
			}
			takes[s.TakeID] = &t
		}
	}
	var in []take.File
	for _, o := range files {
		in = append(in, takeFile(o, takes[home[o.ID]]))
	}
	claimed := map[uuid.UUID]bool{}
	groups := take.Groups(in)
	// Groups of more members choose their take first: a stranger never takes it along.
	slices.SortStableFunc(groups, func(x, y take.Group) int { return len(y.Members) - len(x.Members) })
	for _, g := range groups {
		t := a.takeOf(g, byKey, home, takes, claimed)
		claimed[t.ID] = true
		describe(&t, g)
		if err := tx.SaveTake(ctx, t); err != nil {
			return err
		}
		if err := a.fill(ctx, tx, t, g, byKey, strands); err != nil {
			return err
		}
	}
	var old []uuid.UUID
	for id := range takes {
		old = append(old, id)
	}
	if err := tx.DeleteEmptyTakes(ctx, old); err != nil {
		return err
	}
	return weigh(ctx, tx.Queries, old) // those that have lost a member
}

// takeOf finds the take that a group already is, or makes one.
func (a *App) takeOf(g take.Group, byKey map[string]store.File, home map[uuid.UUID]uuid.UUID, takes map[uuid.UUID]*store.Take, claimed map[uuid.UUID]bool) store.Take {
	count := map[uuid.UUID]int{}
	var best uuid.UUID
	for _, m := range g.Members {
		h, ok := home[byKey[m.Key].ID]
		if !ok || claimed[h] {
			continue
		}
		if count[h]++; count[h] > count[best] || best == uuid.Nil {
			best = h
		}
	}
	if t := takes[best]; t != nil {
		return *t
	}
	f := byKey[g.Members[0].Key]
	facts := f.Facts.Facts
	t := store.Take{
		ID: store.NewID(), ProductionID: f.ProductionID, Scene: facts.Scene, Take: facts.Take, SceneWas: facts.Scene, TakeWas: facts.Take,
		Roll: facts.Roll, Note: facts.Note, Circled: facts.Circled, WildTrack: facts.WildTrack, NoGood: facts.NoGood, FalseStart: facts.FalseStart,
		Recorder: facts.Recorder, Day: facts.Day, SampleRate: f.Facts.SampleRate,
	}
	if len(g.Members) == 1 {
		t.Readings = take.ContainerReadings(streamGroups(f.Facts.Streams), facts.Groups)
	}
	return t
}

// describe brings what grouping found into a take.
func describe(t *store.Take, g take.Group) {
	t.Name = take.NameOf(t.Scene, t.Take, g.Name())
	t.Frames, t.Longest, t.Why, t.OrderWords, t.Certain, t.Snags = g.Frames, g.Longest, g.Why, g.Order, g.Certain, g.Snags
	t.StartSamples, t.StartWas = nil, nil
	if s := g.Members[0].Facts.Start; s >= 0 {
		t.StartSamples, t.StartWas = &s, &s
	}
	if t.StartSet != nil {
		t.StartSamples = t.StartSet
	}
	if t.ReadByHand || len(g.Members) == 1 && len(g.Members[0].Facts.Tracks) > 1 {
		return
	}
	t.Readings = g.Readings() // what more or fewer members made of it counts no more
}

// streamGroups are the streams of a file with pictures as far as they group its channels.
func streamGroups(streams []picture.Stream) (out []take.StreamGroup) {
	for _, s := range streams {
		g := take.StreamGroup{Channels: s.Channels}
		if s.Field != nil {
			g.Field, g.HeadLocked = true, s.Field.HeadLocked
		}
		out = append(out, g)
	}
	return out
}

// fill puts the strands of a group's files into their take, in order.
func (a *App) fill(ctx context.Context, tx store.Tx, t store.Take, g take.Group, byKey map[string]store.File, strands []store.Strand) error {
	position := 0
	for _, m := range g.Members {
		f := byKey[m.Key]
		for c, fact := range f.Facts.Facts.Tracks {
			position++
			i := slices.IndexFunc(strands, func(s store.Strand) bool { return s.FileID == f.ID && s.Channel == c+1 })
			if i >= 0 {
				if err := tx.PlaceStrand(ctx, strands[i].ID, t.ID, position); err != nil {
					return err
				}
				continue
			}
			s := store.Strand{
				ID: store.NewID(), TakeID: t.ID, FileID: f.ID, Channel: c + 1, Position: position, Label: fact.Label, LabelSource: fact.LabelSource,
				Peak: f.Facts.Levels[c].Peak, RMS: f.Facts.Levels[c].RMS, Shape: f.Facts.Levels[c].Shape, Stem: g.StemGiven(),
			}
			if fact.RecorderTrack > 0 {
				s.RecorderTrack = &fact.RecorderTrack
			}
			if err := tx.InsertStrand(ctx, s); err != nil {
				return err
			}
		}
	}
	return a.suggest(ctx, tx, t.ID)
}

// suggest works out anew what nobody has decided about a take.
func (a *App) suggest(ctx context.Context, tx store.Tx, id uuid.UUID) error {
	t, err := tx.Take(ctx, id)
	if err != nil {
		return err
	}
	strands, err := tx.Strands(ctx, []uuid.UUID{id})
	if err != nil {
		return err
	}
	files, err := tx.FilesOfTakes(ctx, []uuid.UUID{id})
	if err != nil {
		return err
	}
	var labels []string
	var found survey.Findings
	var mask uint32
	for _, s := range strands {
		labels = append(labels, s.Label)
		i := slices.IndexFunc(files, func(f store.File) bool { return f.ID == s.FileID })
		ch := survey.Channel{Peak: s.Peak, RMS: s.RMS}
		if sv := files[i].Facts.Survey; s.Channel <= len(sv.Channels) {
			ch = sv.Channels[s.Channel-1]
		}
		found.Channels = append(found.Channels, ch)
	}
	beside, err := beside(ctx, tx.Queries, t)
	if err != nil {
		return err
	}
	apart := beside.key != t.Beside // it has still to be compared with what was recorded beside it
	switch members := membersOf(strands); {
	case members == "" && len(files) == 1:
		found.Relations = files[0].Facts.Survey.Relations
		if files[0].WorkingPath == "" { // a working copy's is ours, not the camera's
			mask = files[0].Facts.Mask
		}
	case members == t.Related:
		found.Relations = t.Relations
	default:
		apart = true
	}
	if apart {
		if _, err := a.Queue.Add(ctx, tx.Tx, RelateJob{id}); err != nil {
			return err
		}
	}
	decided, err := tx.Suggestions(ctx, []uuid.UUID{id})
	if err != nil {
		return err
	}
	if err := tx.DeleteOpenSuggestions(ctx, id); err != nil {
		return err
	}
	known := take.Known{Labels: labels, Mask: mask, OneFile: len(files) == 1, Given: t.Readings, Found: found, Rate: t.SampleRate, Sum: t.BesideSum}
	if known.OneFile {
		facts := files[0].Facts.Facts
		known.Name, known.Recorded = files[0].Name, facts.Scene != "" || facts.Take != ""
	}
	if !t.ReadByHand {
		known.Given = take.Standing(t.Readings)
	}
	refused := func(s take.Suggestion) bool {
		return slices.ContainsFunc(decided, func(d store.Suggestion) bool {
			return d.State != "open" && d.Body.Kind == s.Kind && slices.Equal(d.Body.Positions, s.Positions)
		})
	}
	certain, rest := take.Channels(known)
	if !t.ReadByHand {
		now := known.Given
		for _, r := range certain {
			if !slices.ContainsFunc(decided, func(d store.Suggestion) bool {
				return d.State == "refused" && d.Body.Read != nil && slices.Equal(d.Body.Read.Positions, r.Positions)
			}) {
				now = append(now, r)
			}
		}
		if !take.SameReadings(now, t.Readings) {
			t.Readings = now
			if err := tx.SaveTake(ctx, t); err != nil {
				return err
			}
		}
	}
	var sums []take.Sum
	for _, s := range rest {
		if sum := s.Mixes(); sum != nil {
			sums = append(sums, *sum)
		}
		if refused(s) {
			continue
		}
		if err := tx.InsertSuggestion(ctx, store.Suggestion{ID: store.NewID(), ProductionID: t.ProductionID, TakeID: id, Body: s, State: "open"}); err != nil {
			return err
		}
	}
	if err := tx.SetSums(ctx, id, sums); err != nil {
		return err
	}
	return weigh(ctx, tx.Queries, []uuid.UUID{id})
}

// regroupTakes regroups what is left of the takes that some removed strands belonged to.
func (a *App) regroupTakes(ctx context.Context, tx store.Tx, removed []store.Strand) error {
	done := map[uuid.UUID]bool{}
	for _, s := range removed {
		if done[s.TakeID] {
			continue
		}
		done[s.TakeID] = true
		files, err := tx.FilesOfTakes(ctx, []uuid.UUID{s.TakeID})
		if err != nil {
			return err
		}
		if len(files) > 0 {
			if err := a.regroup(ctx, tx, files[0]); err != nil {
				return err
			}
		}
	}
	return nil
}

// resum looks at the takes that were a mix of others, once some are gone: they may be none any more.
func (a *App) resum(ctx context.Context, tx store.Tx, production uuid.UUID) error {
	takes, err := tx.Summed(ctx, production)
	if err != nil {
		return err
	}
	for _, t := range takes {
		if err := a.suggest(ctx, tx, t.ID); err != nil {
			return err
		}
	}
	return nil
}
