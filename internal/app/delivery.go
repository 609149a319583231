package app

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/cespare/xxhash/v2"
	"github.com/google/uuid"

	"zestyloom/core/attest"
	"zestyloom/core/delivery"
	"zestyloom/core/mix"
	"zestyloom/core/order"
	"zestyloom/core/picture"
	"zestyloom/core/readiness"
	"zestyloom/core/reel"
	"zestyloom/core/safely"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/waveform"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// DeliveryOrder is what a person orders.
type DeliveryOrder struct {
	Spec    uuid.UUID
	Packing string // the spec's first when empty
	Pattern string // the spec's when empty
	From    *int64 // with To: this span alone, at the production's rate: a test, or a cut-down where Cut
	To      *int64
	Cut     bool
	Only    []string   // the tracks and buses that there are files of, by their IDs; all of a kind where none of it is named
	Picture *uuid.UUID // a file of the production whose picture goes along
	// Recipient is to whom it goes, for the papers.
	Recipient string
	// Accept are the codes of what stands in the way and is to be so.
	Accept []string
	// Black has black made where the reel reaches beyond the picture.
	Black bool
}

// plan works out what an order would write.
func (a *App) plan(ctx context.Context, reelID uuid.UUID, o DeliveryOrder) (delivery.Plan, store.Reel, error) {
	r, p, err := a.reelIn(ctx, reelID)
	if err != nil {
		return delivery.Plan{}, r, err
	}
	spec, err := a.Store.Spec(ctx, o.Spec)
	if err != nil {
		return delivery.Plan{}, r, err
	}
	now := a.Now()
	asked := delivery.Order{
		Spec: spec.Body, Packing: o.Packing, Pattern: o.Pattern, Recipient: strings.TrimSpace(o.Recipient),
		Titles: delivery.Titles{Production: p.Name, Episode: p.Episode, Reel: r.Name},
		Date:   now.Format("2006-01-02"), Time: now.Format("15:04:05"),
	}
	if o.From != nil && o.To != nil {
		asked.Span = &delivery.Span{From: *o.From, To: *o.To}
	}
	if asked.Version, err = a.Store.NextVersion(ctx, r.ID, spec.Name); err != nil {
		return delivery.Plan{}, r, err
	}
	asked.Cut, asked.Only, asked.Accept, asked.Black = o.Cut && asked.Span != nil, o.Only, o.Accept, o.Black
	var path string
	var info *picture.Info
	if o.Picture != nil {
		if asked.Picture, info, path, err = a.pictureOf(ctx, p, r, *o.Picture, asked.Span); err != nil {
			return delivery.Plan{}, r, err
		}
	}
	plan, err := delivery.Make(asked, r.Doc, r.Doc.Counted(p.Rate()), p.SampleRate)
	if err == nil {
		err = plan.FitPicture(ctx, path, info)
	}
	return plan, r, err
}

// pictureOf is the picture of a file of a production, as it goes along with a delivery, what was found of the file, and where it lies.
func (a *App) pictureOf(ctx context.Context, p store.Production, r store.Reel, id uuid.UUID, span *delivery.Span) (*delivery.Picture, *picture.Info, string, error) {
	f, err := a.Store.File(ctx, id)
	if err != nil {
		return nil, nil, "", err
	}
	if f.ProductionID != p.ID {
		return nil, nil, "", ErrNotFound
	}
	path, err := a.original(f)
	if err != nil {
		return nil, nil, "", err
	}
	pic, info, err := delivery.PictureOf(ctx, path, f.ID.String(), f.Name, r.Doc, p.SampleRate, span)
	if err == nil {
		pic.Hash = f.Hash
	}
	return pic, info, path, err
}

// lostOf are the files of a plan that are not there, or not what they were.
func (a *App) lostOf(ctx context.Context, p delivery.Plan) (out []readiness.Finding, err error) {
	strands, err := strandsOf(p.Reel)
	if err != nil {
		return nil, err
	}
	files, err := a.Store.FilesOfStrands(ctx, strands)
	if err != nil {
		return nil, err
	}
	if pic := p.Order.Picture; pic != nil {
		if id, err := uuid.Parse(pic.File); err == nil && !slices.ContainsFunc(files, func(f store.File) bool { return f.ID == id }) {
			f, err := a.Store.File(ctx, id)
			if err != nil {
				return nil, err
			}
			files = append(files, f)
		}
	}
	for _, f := range files {
		why := f.Lost
		if err := a.there(f); err != nil {
			why = amiss(err)
		}
		if why != nil {
			out = append(out, readiness.Lost(*why))
		}
	}
	return out, nil
}

// preflightMeasures is how long a pre-flight looks for clipping, and measures, before it answers with what is known.
const preflightMeasures = 250 * time.Millisecond

// Preflight says what an order would write and what stands in its way. Where limits are asked for that the reel is not
// measured for yet, left is the part of it (0 to 1) that is still to be measured: asked again, it knows more.
func (a *App) Preflight(ctx context.Context, reelID uuid.UUID, o DeliveryOrder) (plan delivery.Plan, found []readiness.Finding, left float64, err error) {
	plan, r, err := a.plan(ctx, reelID, o)
	if err != nil {
		return plan, nil, 0, err
	}
	lost, err := a.lostOf(ctx, plan)
	if err != nil {
		return plan, nil, 0, err
	}
	if len(lost) > 0 { // what is not there can't be looked through
		return plan, append(lost, readiness.Plan(plan, nil)...), 0, nil
	}
	// Where outputs clip may take longer to find than a request lasts: it is looked for aside.
	state, err := a.heardFrom(ctx, plan.Reel)
	if err != nil {
		return plan, nil, 0, err
	}
	key := fmt.Sprint("clipping ", r.ID, r.Version, plan.Rates, plan.From, plan.To, state)
	clips, done, err := a.asides.do(ctx, key, preflightMeasures, func(ctx context.Context) (any, error) { return a.clipping(ctx, plan) })
	if err != nil {
		return plan, nil, 0, err
	}
	clipping, _ := clips.([]mix.Clipping)
	found = readiness.Plan(plan, clipping)
	if !done {
		return plan, found, 1, nil
	}
	if len(plan.Order.Spec.Limits) == 0 || plan.Order.Span != nil || plan.Frames == 0 {
		return plan, found, 0, nil
	}
	m, err := a.measure(ctx, r, time.Now().Add(preflightMeasures))
	if err != nil {
		return plan, nil, 0, err
	}
	if !m.Complete() {
		return plan, found, 1 - float64(m.Done)/float64(m.Total), nil
	}
	return plan, append(found, readiness.Loudness(plan, m.Levels)...), 0, nil
}

// clipping finds where outputs would clip.
func (a *App) clipping(ctx context.Context, p delivery.Plan) ([]mix.Clipping, error) {
	program, err := mix.Compile(p.Reel, p.Rates.Reel, a.sources(ctx))
	if err != nil {
		return nil, err
	}
	type summary struct {
		s       *waveform.Summary
		channel int
	}
	known := map[string]summary{}
	open := map[uuid.UUID]*waveform.Summary{}
	var files []*os.File
	defer func() {
		for _, f := range files {
			f.Close()
		}
	}()
	return program.Clippings(ctx, func(id string) (*waveform.Summary, int, error) {
		if k, ok := known[id]; ok {
			return k.s, k.channel, nil
		}
		u, err := uuid.Parse(id)
		if err != nil {
			return nil, 0, err
		}
		st, err := a.Store.Strand(ctx, u)
		if err != nil {
			return nil, 0, err
		}
		s, ok := open[st.FileID]
		if !ok {
			var f *os.File
			if s, f, err = a.Media.OpenSummary(st.FileID); err != nil {
				return nil, 0, err
			}
			files = append(files, f)
			open[st.FileID] = s
		}
		known[id] = summary{s, st.Channel - 1}
		return s, st.Channel - 1, nil
	})
}

// OrderDelivery orders a delivery. Snags that stop it are refused here, whatever a browser showed; so are those that ask, unless
// the order accepts them.
func (a *App) OrderDelivery(ctx context.Context, reelID uuid.UUID, o DeliveryOrder) (store.Delivery, error) {
	for {
		d, err := a.orderDelivery(ctx, reelID, o)
		if !errors.Is(err, errVersionTaken) {
			return d, err
		}
	}
}

// errVersionTaken says that another order has got the version meanwhile.
var errVersionTaken = errors.New("app: the version is another order's by now")

func (a *App) orderDelivery(ctx context.Context, reelID uuid.UUID, o DeliveryOrder) (store.Delivery, error) {
	plan, r, err := a.plan(ctx, reelID, o)
	if err != nil {
		return store.Delivery{}, err
	}
	lost, err := a.lostOf(ctx, plan)
	if err != nil {
		return store.Delivery{}, err
	}
	if open := readiness.Open(append(lost, readiness.Plan(plan, nil)...), o.Accept); len(open) > 0 {
		more := ""
		if len(open) > 1 {
			more = fmt.Sprintf(" (and %d more)", len(open)-1)
		}
		if !readiness.Stops(open) {
			more += "; to order it all the same, accept " + strings.Join(readiness.Codes(open), ", ")
		}
		i := max(0, slices.IndexFunc(open, func(f readiness.Finding) bool { return f.Stops }))
		return store.Delivery{}, snag.Refuse(open[i].Code, "%s%s", open[i].Message, more)
	}
	if plan.Sources, err = a.frozen(ctx, plan.Reel); err != nil {
		return store.Delivery{}, err
	}
	d := deliveryOf(r.ProductionID, r.ID, plan, plan.Order.Version)
	err = a.Store.InTx(ctx, func(tx store.Tx) error {
		if _, err := tx.LockProduction(ctx, r.ProductionID); err != nil {
			return err
		}
		next, err := tx.NextVersion(ctx, r.ID, plan.Order.Spec.Name)
		if err != nil {
			return err
		}
		if next != d.Version {
			return errVersionTaken // it stands in names and papers: the plan is made anew
		}
		if err := a.placeOrder(ctx, tx, d, plan); err != nil || d.Test {
			return err
		}
		return tx.OwnVersion(ctx, d.ID)
	})
	if err != nil {
		return store.Delivery{}, err
	}
	return a.Store.Delivery(ctx, d.ID)
}

// deliveryOf is the order that a plan is frozen in.
func deliveryOf(production, reel uuid.UUID, p delivery.Plan, version int) store.Order {
	return store.Order{
		ID: store.NewID(), ProductionID: production, Kind: order.Delivery, ReelID: reel, Name: p.Order.Spec.Name, Says: p.Order.Titles.Reel,
		Frames: p.Frames, SampleRate: p.Rates.Files, State: order.Waiting, Version: version, Test: p.Test(),
	}
}

// DeliverAgain orders a delivery once more as it was ordered: from the reel, the routing and the sources as they were then, which
// give the same files byte for byte. A source that is gone or is another file fails it, and says which.
func (a *App) DeliverAgain(ctx context.Context, id uuid.UUID) (store.Delivery, error) {
	was, err := a.Store.Delivery(ctx, id)
	if err != nil {
		return was, err
	}
	if was.Plan.Sources == nil {
		return was, snag.Refuse("not_frozen", "the delivery is of before sources were kept with an order: order it anew from its reel")
	}
	d := deliveryOf(was.ProductionID, was.ReelID, was.Plan, was.Version)
	if err := a.Store.InTx(ctx, func(tx store.Tx) error { return a.placeOrder(ctx, tx, d, was.Plan) }); err != nil {
		return was, err
	}
	return a.Store.Delivery(ctx, d.ID)
}

// frozen is what the strands of a reel are now.
func (a *App) frozen(ctx context.Context, r reel.Reel) (map[string]delivery.Source, error) {
	ids, err := strandsOf(r)
	if err != nil {
		return nil, err
	}
	strands, err := a.Store.StrandsByID(ctx, ids)
	if err != nil {
		return nil, err
	}
	out := make(map[string]delivery.Source, len(strands))
	for _, s := range strands {
		out[s.ID.String()] = delivery.Source{File: s.FileID.String(), Name: s.FileName, Hash: s.FileHash, Channel: s.Channel - 1, Treat: s.Treat, Drift: s.Drift}
	}
	return out, nil
}

// heardFrom names what the strands of a reel are now and what is done to them, which is no version of the reel.
func (a *App) heardFrom(ctx context.Context, r reel.Reel) (uint64, error) {
	sources, err := a.frozen(ctx, r)
	if err != nil {
		return 0, err
	}
	said, err := json.Marshal(sources)
	return xxhash.Sum64(said), err
}

// Sounding lists what sounds on an output of a reel, or where bus names one on a channel of it, at a sample of its time.
func (a *App) Sounding(ctx context.Context, id uuid.UUID, bus string, channel int, at int64) ([]delivery.Origin, error) {
	r, p, err := a.reelIn(ctx, id)
	if err != nil {
		return nil, err
	}
	ch := delivery.Channel{Output: channel}
	if bus != "" {
		b, ok := r.Doc.Weave.Bus(bus)
		if !ok || channel >= b.Channels().Count {
			return nil, ErrNotFound
		}
		ch = delivery.Channel{Output: -1, Signal: bus, Of: channel}
	} else if channel >= len(r.Doc.Weave.Outputs) {
		return nil, ErrNotFound
	}
	sources, err := a.frozen(ctx, r.Doc)
	if err != nil {
		return nil, err
	}
	return delivery.OriginsAt(r.Doc, r.Doc.Counted(p.Rate()), p.SampleRate, sources, ch, at), nil
}

// ordered finds the sources of an order as they were frozen; of one of before, as they are.
func (a *App) ordered(ctx context.Context, p delivery.Plan) mix.Sources {
	if p.Sources == nil {
		return a.sources(ctx)
	}
	return p.Resolve(func(file string) (delivery.Located, error) { return a.locate(ctx, file) })
}

// once looks for each file once: what happens to it meanwhile must not come between writing and proving.
func once(sources mix.Sources) mix.Sources {
	known := map[string]mix.Source{}
	return func(id string) (s mix.Source, err error) {
		s, ok := known[id]
		if !ok {
			if s, err = sources(id); err == nil {
				known[id] = s
			}
		}
		return s, err
	}
}

// orderedPicture finds where the file lies whose picture goes along.
func (a *App) orderedPicture(ctx context.Context, p delivery.Picture) (string, error) {
	id, err := uuid.Parse(p.File)
	if err != nil {
		return "", err
	}
	f, err := a.Store.File(ctx, id)
	switch {
	case errors.Is(err, ErrNotFound):
		return "", snag.Refuse("source_gone", "the picture %s has been removed since it was ordered: take it in again, and order the delivery anew", p.Name)
	case err != nil:
		return "", err
	case f.Hash != p.Hash:
		return "", snag.Refuse("source_changed", "%s is not the file that was ordered any more: order the delivery anew, or bring the file back", p.Name)
	}
	return a.original(f)
}

// locate finds where a file of an order lies now, and what is known of it.
func (a *App) locate(ctx context.Context, file string) (at delivery.Located, err error) {
	id, err := uuid.Parse(file)
	if err != nil {
		return at, err
	}
	f, err := a.Store.File(ctx, id)
	if errors.Is(err, ErrNotFound) {
		return at, snag.Refuse("source_gone", "a recording that was ordered has been removed since: take it in again, and order the delivery anew")
	}
	if err != nil {
		return at, err
	}
	path, hash, err := a.soundPath(f)
	if err == nil {
		err = a.there(f)
	}
	if err != nil {
		return at, err
	}
	return delivery.Located{Path: path, Hash: f.Hash, Known: func() (*source.Known, error) { return a.assured(ctx, f.Name, path, hash) }}, nil
}

// firstOf is the beginning of a list, and how much more there is.
func firstOf(list []string, n int) []string {
	if len(list) <= n {
		return list
	}
	return append(slices.Clone(list[:n]), fmt.Sprintf("and %d more", len(list)-n))
}

// DeliverJob asks for the making of a delivery.
type DeliverJob struct {
	Delivery uuid.UUID `json:"delivery"`
}

// Kind implements Job.
func (DeliverJob) Kind() string { return "deliver" }

// deliver renders a delivery, reads it back and proves it. A source that is another is read by Intake before all others, which says
// so there.
func (a *App) deliver(ctx context.Context, id, attempt uuid.UUID, dir string) error {
	d, err := a.Store.Delivery(ctx, id)
	if err != nil {
		return err
	}
	err = a.renderDelivery(ctx, d, attempt, dir)
	if err != nil && snag.Of(err).Code == "source_changed" {
		if e := a.Store.CheckSoon(ctx, d.Plan.FileIDs()); e != nil {
			return e
		}
	}
	return err
}

func (a *App) renderDelivery(ctx context.Context, d store.Delivery, attempt uuid.UUID, dir string) error {
	report := a.progress(ctx, d.ProductionID, d.ID)
	var picture string
	var size int64
	if p := d.Plan.Order.Picture; p != nil && !d.Plan.Test() {
		var err error
		if picture, err = a.orderedPicture(ctx, *p); err == nil {
			size, err = media.SizeOf(picture)
		}
		if err != nil {
			return err
		}
	}
	if err := a.Media.Room(d.Plan.Bytes() + d.Plan.PictureBytes(size)); err != nil {
		return err
	}
	options := delivery.Options{Sources: once(a.ordered(ctx, d.Plan)), Progress: func(done int64) { report(done, d.Plan.Frames) }, Picture: picture}
	written, err := delivery.Write(ctx, d.Plan, dir, options)
	if err != nil {
		return err
	}
	if err := a.moveOrder(ctx, d.Order, order.ReadBack, store.Outcome{Attempt: attempt}); err != nil {
		return err
	}
	options.Hashes = written.Hashes
	held := a.pictureHeld(d.Plan, picture)
	proof, err := delivery.Prove(ctx, d.Plan, dir, options)
	if err := errors.Join(err, <-held); err != nil {
		return err
	}
	out, by := store.Outcome{Attempt: attempt, Proof: &proof, Clipped: written.Total()}, order.Finish
	if !proof.Passed {
		by, out.Why = order.Fail, snag.Refuse("proof_failed", "the files read back are not what was ordered: %s", strings.Join(firstOf(proof.Failures(), 3), "; "))
	} else if err := errors.Join(a.keepSums(ctx, proof), media.Seal(dir)); err != nil {
		return err
	}
	if a.Key != nil {
		s := attest.Sign(a.Key, attest.Statement(delivery.Made{Plan: d.Plan, Proof: proof}, d.Version, a.Now()))
		out.Signature = &s
	}
	return a.moveOrder(ctx, d.Order, by, out)
}

// pictureHeld tells whether the picture that went along still is what was ordered, once it has been written: ffmpeg read it,
// not we. It is read beside the proof.
func (a *App) pictureHeld(p delivery.Plan, path string) <-chan error {
	done := make(chan error, 1)
	if path == "" {
		done <- nil
		return done
	}
	go func() {
		done <- safely.Do(func() error {
			sums, err := source.HashFile(path)
			if err == nil && sums.Hash() != p.Order.Picture.Hash {
				err = source.Changed(p.Order.Picture.Name, fmt.Sprintf("its hash was %s and is %s", p.Order.Picture.Hash, sums.Hash()))
			}
			return err
		})
	}()
	return done
}

// keepSums keeps the hashes of the blocks of what has been proven.
func (a *App) keepSums(ctx context.Context, p delivery.Proof) error {
	for _, f := range p.Files {
		if f.Sums.Hash() != f.Hash {
			return fmt.Errorf("app: the proof of %s has no hashes of its blocks", f.Name)
		}
		if err := a.Store.SaveBlocks(ctx, f.Sums); err != nil {
			return err
		}
	}
	return nil
}

// DeliveredFile finds a file of a proven delivery, to be given out.
func (a *App) DeliveredFile(ctx context.Context, id uuid.UUID, index int) (Given, error) {
	d, err := a.Store.Delivery(ctx, id)
	if err != nil {
		return Given{}, err
	}
	return a.deliveredFile(ctx, d, index)
}

// deliveredFile does so where the delivery is at hand.
func (a *App) deliveredFile(ctx context.Context, d store.Delivery, index int) (Given, error) {
	if d.State != order.Proven {
		return Given{}, snag.Refuse("not_proven", "the delivery is %s: files are given out once they are proven", d.State)
	}
	if index < 0 || index >= len(d.Plan.Files) {
		return Given{}, ErrNotFound
	}
	if _, err := a.signed(d); err != nil {
		return Given{}, err
	}
	for _, f := range d.Proof.Files {
		if f.Name == d.Plan.Files[index].Name {
			g := Given{Name: f.Name, bytes: f.Bytes, hash: f.Hash, since: d.FinishedAt}
			g.spoilt = func(why error) error { return a.markDamaged(context.WithoutCancel(ctx), d, why) }
			return a.given(ctx, g, a.Media.Attempted(a.Media.Order(d.Kind, d.ID), d.Attempt))
		}
	}
	return Given{}, ErrNotFound
}

// markDamaged keeps that a file of a delivery is not what was proven any more; nil for one that is again.
func (a *App) markDamaged(ctx context.Context, d store.Delivery, why error) error {
	damaged := amiss(why)
	if sameSnag(damaged, d.Damaged) {
		return nil
	}
	return errors.Join(a.Store.SetDamaged(ctx, d.ID, damaged), publish(ctx, a.Store.Queries, orderChanged(d.Order)))
}
