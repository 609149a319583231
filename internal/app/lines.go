package app

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"sync"
	"time"

	"github.com/cespare/xxhash/v2"
	"github.com/google/uuid"

	"zestyloom/core/audio"
	"zestyloom/core/line"
	"zestyloom/core/mix"
	"zestyloom/core/safely"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
	"zestyloom/internal/deck"
	"zestyloom/internal/lines"
	"zestyloom/internal/store"
)

// Lines are the outputs of the application over the network: where they lead, and what is played on them. There is one of them, as of
// a machine's sockets: what is played takes them until it ends.
type Lines struct {
	// To is where the first stream is sent to; the others go to the ports after it.
	To netip.AddrPort
	// Deck is what a layback records on.
	Deck deck.Client

	mu  sync.Mutex
	now *sending
}

// sending is what is played on the lines.
type sending struct {
	reel    uuid.UUID
	layback uuid.UUID // what it is played for, or none
	session line.Session
	sender  *lines.Sender
	stop    context.CancelFunc
	ending  chan struct{} // closed when nothing more is sent, and only its outcome is to be kept
	done    chan struct{}
	err     error // once it is done
}

// LinesState is what is on the lines.
type LinesState struct {
	Playing bool
	Reel    uuid.UUID
	Layback uuid.UUID // what it is played for, or none
	Session line.Session
	lines.Progress
	// Error is why what was played last ended early.
	Error error
}

// LinesState tells what is on the lines.
func (a *App) LinesState() LinesState {
	a.Lines.mu.Lock()
	defer a.Lines.mu.Unlock()
	n := a.Lines.now
	if n == nil {
		return LinesState{}
	}
	s := LinesState{Reel: n.reel, Layback: n.layback, Session: n.session, Progress: n.sender.Progress()}
	select {
	case <-n.done:
		s.Error = n.err
	default:
		s.Playing = true
	}
	return s
}

// onLines is a reel as it is put on lines.
type onLines struct {
	reel       store.Reel
	production store.Production
	outputs    []int
	session    line.Session
	program    *mix.Program
}

// putOnLines compiles a reel as it is now. outputs are places from 0; all of them where there are none.
func (a *App) putOnLines(ctx context.Context, id uuid.UUID, outputs []int) (onLines, error) {
	on, err := a.described(ctx, id, outputs)
	if err == nil {
		// What is played outlives the request.
		on.program, err = mix.Compile(on.reel.Doc, line.Rate, a.sources(context.WithoutCancel(ctx)))
	}
	return on, err
}

// described says how a reel would be put on lines.
func (a *App) described(ctx context.Context, id uuid.UUID, outputs []int) (on onLines, err error) {
	if on.reel, on.production, err = a.reelIn(ctx, id); err != nil {
		return on, err
	}
	if on.production.SampleRate != line.Rate {
		return on, snag.Refuse("bad_lines", "the reel has %d Hz, and streams carry %d: deliver it in that rate, and lay the masters in a production of it", on.production.SampleRate, line.Rate)
	}
	w := on.reel.Doc.Weave
	if len(outputs) == 0 {
		for i := range w.Outputs {
			outputs = append(outputs, i)
		}
	}
	var names []string
	for k, i := range outputs {
		if i < 0 || i >= len(w.Outputs) || k > 0 && i <= outputs[k-1] {
			return on, snag.Refuse("no_such_output", "output %d is not there, or comes twice: outputs 1 to %d, in order, were expected", i+1, len(w.Outputs))
		}
		names = append(names, w.Outputs[i].Name)
	}
	on.outputs = outputs
	streams, err := line.Divide(names, a.Lines.To)
	if err != nil {
		return on, err
	}
	now, from := uint64(a.Now().Unix()), lines.From(a.Lines.To)
	for i := range streams {
		// The same each time, so that a description that was given to somebody holds; nobody else's by chance.
		source := uint32(xxhash.Sum64String(fmt.Sprint(id, i)))
		streams[i].SSRC, streams[i].Source = &source, from
	}
	on.session = line.Session{Name: on.production.Name + ", " + on.reel.Name, ID: now, Version: now, From: from,
		Rate: rateOf(on.production, on.reel), Streams: streams}
	return on, nil
}

// LinesOf is how a reel would be sent, or why it can't be.
func (a *App) LinesOf(ctx context.Context, id uuid.UUID) (s line.Session, problem *snag.Refusal, err error) {
	on, err := a.described(ctx, id, nil)
	if errors.As(err, &problem) {
		return s, problem, nil
	}
	return on.session, nil, err
}

// play hands the outputs between two places to a tap, in order.
func (on onLines) play(ctx context.Context, from, to int64, tap func(audio.Block, int64) error) error {
	pl, err := on.program.Play(mix.All())
	if err != nil {
		return err
	}
	defer pl.Close()
	chosen := make(audio.Block, len(on.outputs))
	return pl.Run(ctx, from, to, func(b audio.Block, at int64) error {
		for k, i := range on.outputs {
			chosen[k] = b[i]
		}
		return tap(chosen, at)
	})
}

// take takes the lines for something, unless they are taken; begin is done once they are, and work beside, whose end is theirs. Work
// calls ending before it tells anybody that it has ended: whoever comes from then on waits for the lines.
func (a *App) take(ctx context.Context, on onLines, layback uuid.UUID, begin func() error, work func(ctx context.Context, s *lines.Sender, ending func()) error) error {
	a.Lines.mu.Lock()
	defer a.Lines.mu.Unlock()
	if n := a.Lines.now; n != nil {
		select {
		case <-n.done:
		case <-n.ending:
			<-n.done
		default:
			return snag.Refuse("lines_taken", "the outputs over the network are playing already: stop that first")
		}
	}
	sender, err := lines.Open(on.session.Streams)
	if err != nil {
		return snag.Refuse("bad_lines", "%w", err)
	}
	if err := begin(); err != nil {
		sender.Close()
		return err
	}
	ctx, stop := context.WithCancel(context.WithoutCancel(ctx))
	n := &sending{reel: on.reel.ID, layback: layback, session: on.session, sender: sender, stop: stop, ending: make(chan struct{}), done: make(chan struct{})}
	a.Lines.now = n
	go func() {
		defer close(n.done)
		defer stop()
		defer sender.Close()
		if err := safely.Do(func() error { return work(ctx, sender, sync.OnceFunc(func() { close(n.ending) })) }); ctx.Err() == nil {
			n.err = err
		}
	}()
	return nil
}

// PlayOnLines plays the outputs of a reel over the network, from a place to the reel's end, in real time.
func (a *App) PlayOnLines(ctx context.Context, id uuid.UUID, from int64, outputs []int) error {
	on, err := a.putOnLines(ctx, id, outputs)
	if err != nil {
		return err
	}
	_, end := on.program.Span()
	if from < 0 || from >= end {
		return snag.Refuse("bad_range", "%s is past the reel's end at %s", on.session.Rate.FormatSamples(from, line.Rate), on.session.Rate.FormatSamples(end, line.Rate))
	}
	return a.take(ctx, on, uuid.Nil, func() error { return nil }, func(ctx context.Context, s *lines.Sender, _ func()) error {
		// A deck that is there is told what comes, unless it is recording; whoever else listens has the description.
		if d, err := a.Lines.Deck.State(ctx); err == nil && d.Recording == "" {
			if sdp, err := on.session.SDP(); err == nil {
				_ = a.Lines.Deck.Announce(ctx, sdp)
			}
		}
		return s.Run(ctx, func(ctx context.Context, tap func(audio.Block, int64) error) error {
			return on.play(ctx, from, end, tap)
		})
	})
}

// StopLines ends what is played on the lines, and waits until it has ended.
func (a *App) StopLines() {
	a.Lines.mu.Lock()
	n := a.Lines.now
	a.Lines.mu.Unlock()
	if n != nil {
		n.stop()
		<-n.done
	}
}

// DescribeLines is the session description of a reel's outputs as they would be sent, or as they are.
func (a *App) DescribeLines(ctx context.Context, id uuid.UUID, outputs []int) ([]byte, error) {
	if s := a.LinesState(); s.Playing && s.Reel == id {
		return s.Session.SDP()
	}
	on, err := a.described(ctx, id, outputs)
	if err != nil {
		return nil, err
	}
	return on.session.SDP()
}

const (
	// lead and tail are played before and after what is laid back: a deck runs before it records, and knows by what comes after that
	// nothing of it is missing.
	lead, tail = line.Rate / 2, line.Rate / 2
	// unheard is after how long a deck that does not end its recording by itself is told to.
	unheard = 3 * time.Second
)

// LayBack plays outputs of a reel onto the deck in real time, from one place to another, and compares what that has recorded.
func (a *App) LayBack(ctx context.Context, id uuid.UUID, from, to int64, outputs []int) (store.Layback, timecode.Rate, error) {
	on, err := a.putOnLines(ctx, id, outputs)
	if err != nil {
		return store.Layback{}, timecode.Rate{}, err
	}
	if from < 0 || to <= from {
		return store.Layback{}, timecode.Rate{}, snag.Refuse("bad_range", "the range ends at %d before it begins at %d", to, from)
	}
	if _, err := a.Lines.Deck.State(ctx); err != nil {
		return store.Layback{}, timecode.Rate{}, err
	}
	l := store.Layback{ID: store.NewID(), ProductionID: on.production.ID, ReelID: id, FromAt: from, ToAt: to, Outputs: on.outputs, State: "playing", BeganAt: a.Now()}
	for _, s := range on.session.Streams {
		l.Names = append(l.Names, s.Channels...)
	}
	begin := func() error { return a.Store.InsertLayback(ctx, l) }
	err = a.take(ctx, on, l.ID, begin, func(ctx context.Context, s *lines.Sender, ending func()) error {
		report, err := a.playOnto(ctx, on, l, s)
		ending()
		return a.endLayback(context.WithoutCancel(ctx), l, report, err, ctx.Err() != nil)
	})
	return l, on.session.Rate, err
}

// endLayback says what came of a layback; a refusal is given back as well.
func (a *App) endLayback(ctx context.Context, l store.Layback, report *line.Report, err error, stopped bool) error {
	switch {
	case stopped:
		return a.Store.MoveLayback(ctx, l.ID, "stopped", report, snag.Refuse("stopped", "it was stopped; what the deck recorded up to there is on the deck"))
	case err != nil:
		if failed := a.Store.MoveLayback(ctx, l.ID, "failed", report, a.Media.Refusal(err)); failed != nil {
			return failed
		}
		return err
	case !report.Whole():
		return a.Store.MoveLayback(ctx, l.ID, "failed", report, nil)
	}
	return a.Store.MoveLayback(ctx, l.ID, "proven", report, nil)
}

// playOnto plays what is laid back while the deck records it, and compares.
func (a *App) playOnto(ctx context.Context, on onLines, l store.Layback, s *lines.Sender) (*line.Report, error) {
	d := a.Lines.Deck
	sdp, err := on.session.SDP()
	if err != nil {
		return nil, err
	}
	if err := d.Announce(ctx, sdp); err != nil {
		return nil, err
	}
	took := on.session.Name + " " + on.session.Rate.FormatSamples(l.FromAt, line.Rate)
	rec, err := d.Record(ctx, deck.Order{Name: took, From: l.FromAt, To: l.ToAt})
	if err != nil {
		return nil, err
	}
	tell := a.progress(ctx, l.ProductionID, l.ID)
	err = s.Run(ctx, func(ctx context.Context, tap func(audio.Block, int64) error) error {
		return on.play(ctx, max(0, l.FromAt-lead), l.ToAt+tail, func(b audio.Block, at int64) error {
			tell(max(0, s.Progress().At-l.FromAt), l.ToAt-l.FromAt)
			return tap(b, at)
		})
	})
	if err != nil {
		_ = d.End(context.WithoutCancel(ctx)) // why it ended is what is to be said
		return nil, err
	}
	if err := a.Store.MoveLayback(ctx, l.ID, "comparing", nil, nil); err != nil {
		return nil, err
	}
	if rec, err = recorded(ctx, d, rec.ID); err != nil {
		return nil, err
	}
	sent := s.Progress()
	report := &line.Report{Version: line.ReportVersion, Recording: rec.Name, Gaps: rec.Gaps, Held: sent.Held, Clipped: sent.Clipped, Strangers: rec.Strangers}
	return report, a.compareLayback(ctx, on, l, rec, report)
}

// recorded waits until a recording is done.
func recorded(ctx context.Context, d deck.Client, id string) (deck.Recording, error) {
	began := time.Now()
	ended := false
	for {
		r, err := d.Recording(ctx, id)
		switch {
		case err != nil:
			return r, err
		case r.State == "done":
			return r, nil
		case r.State == "failed":
			return r, snag.Refuse("deck_failed", "the deck could not record: %s", r.Error)
		}
		if !ended && (r.State == "waiting" || r.State == "recording") && time.Since(began) > unheard {
			if err := d.End(ctx); err != nil {
				return r, err
			}
			ended = true
		}
		select {
		case <-ctx.Done():
			return r, ctx.Err()
		case <-time.After(lookAgain):
		}
	}
}

// rateOf is that which a reel's timecode counts in.
func rateOf(p store.Production, r store.Reel) timecode.Rate { return r.Doc.Counted(p.Rate()) }

// Laybacks are those of a reel, the newest first, with the rate that its timecode counts in.
func (a *App) Laybacks(ctx context.Context, reel uuid.UUID) ([]store.Layback, timecode.Rate, error) {
	r, p, err := a.reelIn(ctx, reel)
	if err != nil {
		return nil, timecode.Rate{}, err
	}
	list, err := a.Store.Laybacks(ctx, reel)
	return list, rateOf(p, r), err
}

// StopLayback ends one that is being played.
func (a *App) StopLayback(ctx context.Context, id uuid.UUID) error {
	l, err := a.Store.Layback(ctx, id)
	if err != nil {
		return err
	}
	if s := a.LinesState(); s.Playing && s.Layback == id {
		a.StopLines()
		return nil
	}
	if slices.Contains([]string{"playing", "comparing"}, l.State) {
		return a.Store.MoveLayback(ctx, id, "stopped", nil, snag.Refuse("stopped", "it was stopped"))
	}
	return snag.Refuse("ended", "the layback has ended")
}

// ForgetLaybacks says of those that a process which is gone was playing that they were stopped.
func (a *App) ForgetLaybacks(ctx context.Context) error {
	return a.Store.StopLaybacks(ctx, snag.Refuse("stopped", "the application ended in the middle of it: lay it back again"))
}
