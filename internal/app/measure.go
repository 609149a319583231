package app

import (
	"context"
	"fmt"
	"math"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"
	lru "github.com/hashicorp/golang-lru/v2"

	"zestyloom/core/audio"
	"zestyloom/core/loudness"
	"zestyloom/core/meter"
	"zestyloom/core/mix"
	"zestyloom/core/readiness"
	"zestyloom/core/report"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
	"zestyloom/internal/store"
)

// measuredAtOnce is how long a request measures before it says how far it is. What was measured is kept.
const measuredAtOnce = 1200 * time.Millisecond

// Measured is what was measured of a bus.
type Measured struct {
	Bus    weave.Bus
	Result loudness.Result
	Powers loudness.Powers
	Peaks  []float32 // true peaks of tenths of a second
	Says   string    // why it has no loudness, else empty
}

// Measurement is how far a reel is measured, and what was found of its buses once all of it is.
type Measurement struct {
	Production  store.Production
	Version     int64
	Start, End  int64
	Done, Total int // chunks of buses
	Buses       []Measured
}

// Measure measures the buses of a reel: what has not changed since it was measured last is not measured again. It does as
// much as it can in little more than a second, and is called again until Done is Total.
func (a *App) Measure(ctx context.Context, id uuid.UUID) (m Measurement, err error) {
	r, err := a.Store.Reel(ctx, id)
	if err != nil {
		return m, err
	}
	return a.measure(ctx, r, measuredAtOnce)
}

// measure is Measure with a time in which it has to be done. What the spec that the reel is held against would not have is
// counted once all is known.
func (a *App) measure(ctx context.Context, r store.Reel, within time.Duration) (m Measurement, err error) {
	if m.Production, err = a.Store.Production(ctx, r.ProductionID); err != nil {
		return m, err
	}
	rate := m.Production.SampleRate
	program, err := mix.Compile(r.Doc, rate, a.sources(ctx))
	if err != nil {
		return m, err
	}
	m.Version = r.Version
	m.Start, m.End = program.Span()
	job := &measuring{app: a, program: program, prints: program.Fingerprints(), rate: int64(rate), start: m.Start, end: m.End, until: time.Now().Add(within)}
	for _, b := range r.Doc.Weave.Buses {
		v := Measured{Bus: b}
		if _, err := loudness.Weights(b.Channels()); err != nil {
			v.Says = snag.Of(err).Message
		} else {
			job.buses = append(job.buses, b)
		}
		m.Buses = append(m.Buses, v)
	}
	chunks, err := job.run(ctx)
	m.Done, m.Total = job.done, job.total
	if err != nil || m.Done < m.Total {
		return m, err
	}
	for i := range m.Buses {
		v := &m.Buses[i]
		if v.Says == "" {
			v.Result, v.Powers, v.Peaks = loudness.Join(v.Bus.Channels(), rate, chunks[v.Bus.ID])
		}
	}
	return m, a.countLoudness(ctx, r, m)
}

// Of is what was found of a bus; false where it has no loudness, or not all is measured yet.
func (m Measurement) Of(bus string) (loudness.Result, loudness.Powers, bool) {
	i := slices.IndexFunc(m.Buses, func(v Measured) bool { return v.Bus.ID == bus })
	if i < 0 || m.Done < m.Total || m.Buses[i].Says != "" {
		return loudness.Result{}, nil, false
	}
	return m.Buses[i].Result, m.Buses[i].Powers, true
}

// countLoudness keeps how many limits a reel that is measured would not keep.
func (a *App) countLoudness(ctx context.Context, r store.Reel, m Measurement) error {
	plan, err := heldPlan(ctx, a.Store.Queries, m.Production, r, r.Doc)
	if err != nil {
		return err
	}
	n := readiness.Count(readiness.Loudness(plan, m.Of))["measure"]
	news, err := a.Store.SetLoudnessSnags(ctx, r.ID, r.Version, n)
	if err != nil || !news {
		return err
	}
	return publish(ctx, a.Store.Queries, Event{Production: r.ProductionID, Kind: "loudness", ID: r.ID.String()})
}

// measuring is one request's work on the chunks of a reel's buses.
type measuring struct {
	app         *App
	program     *mix.Program
	prints      *mix.Fingerprints
	buses       []weave.Bus
	rate        int64
	start, end  int64
	until       time.Time
	done, total int
	player      *mix.Player
	playing     string // the buses that the player is for
}

func (j *measuring) run(ctx context.Context) (map[string][]loudness.Chunk, error) {
	out := map[string][]loudness.Chunk{}
	long := loudness.ChunkSeconds * j.rate
	n := int((j.end - j.start + long - 1) / long)
	j.total = n * len(j.buses)
	defer func() {
		if j.player != nil {
			j.player.Close()
		}
	}()
	for k := range n {
		from := j.start + int64(k)*long
		to := min(j.end, from+long)
		var missing []weave.Bus
		keys := map[string]string{}
		for _, b := range j.buses {
			var err error
			if keys[b.ID], err = j.key(b, from, to); err != nil {
				return nil, err
			}
			if c, ok := j.app.measured.all().Get(keys[b.ID]); ok {
				out[b.ID] = append(out[b.ID], c)
				j.done++
			} else {
				missing = append(missing, b)
			}
		}
		if len(missing) == 0 {
			continue
		}
		if time.Now().After(j.until) {
			return out, j.countKnown(k+1, n)
		}
		chunks, err := j.measure(ctx, missing, from, to)
		if err != nil {
			return nil, err
		}
		for i, b := range missing {
			j.app.measured.all().Add(keys[b.ID], chunks[i])
			out[b.ID] = append(out[b.ID], chunks[i])
			j.done++
		}
	}
	return out, nil
}

// key is under what a chunk of a bus is kept. What lies before the reel's start is not heard, whatever lies there.
func (j *measuring) key(b weave.Bus, from, to int64) (string, error) {
	print, err := j.prints.Of(b.ID, from, to, loudness.ChunkBefore*j.rate, loudness.ChunkAfter)
	return fmt.Sprint(b.Layout, " ", to-from, " ", min(from-j.start, loudness.ChunkBefore*j.rate), " ", print), err
}

// countKnown counts what is known of the chunks from one on, for which there was no time: how far it is, is told honestly.
func (j *measuring) countKnown(k, n int) error {
	long := loudness.ChunkSeconds * j.rate
	for ; k < n; k++ {
		from := j.start + int64(k)*long
		for _, b := range j.buses {
			key, err := j.key(b, from, min(j.end, from+long))
			if err != nil {
				return err
			}
			if j.app.measured.all().Contains(key) {
				j.done++
			}
		}
	}
	return nil
}

// measure measures a chunk of buses, all from one run of the graph.
func (j *measuring) measure(ctx context.Context, buses []weave.Bus, from, to int64) ([]loudness.Chunk, error) {
	names := ""
	var signals []mix.Signal
	for _, b := range buses {
		names += b.ID + " "
		signals = append(signals, mix.Of(b.ID))
	}
	if j.player == nil || j.playing != names {
		if j.player != nil {
			j.player.Close()
		}
		var err error
		if j.player, err = j.program.Play(signals...); err != nil {
			return nil, err
		}
		j.playing = names
	}
	meters := make([]*loudness.Meter, len(buses))
	for i, b := range buses {
		m, err := loudness.NewMeter(b.Channels(), int(j.rate), loudness.Options{Peaks: true, Floor: peakFloor})
		if err != nil {
			return nil, err
		}
		meters[i] = m
	}
	add := func(a, b int64) error {
		for at := a; at < b; at += mix.BlockFrames {
			blocks, err := j.player.Read(ctx, at, int(min(mix.BlockFrames, b-at)))
			if err != nil {
				return err
			}
			for i, m := range meters {
				m.Add(blocks[i])
			}
		}
		return nil
	}
	if err := add(max(j.start, from-loudness.ChunkBefore*j.rate), from); err != nil {
		return nil, err
	}
	for _, m := range meters {
		m.Mark()
	}
	if err := add(from, to); err != nil {
		return nil, err
	}
	out := make([]loudness.Chunk, len(buses))
	after := make([]audio.Block, len(buses))
	for i, b := range buses {
		after[i] = audio.NewBlock(b.Channels().Count, loudness.ChunkAfter)
	}
	if n := min(loudness.ChunkAfter, j.end-to); n > 0 {
		blocks, err := j.player.Read(ctx, to, int(n))
		if err != nil {
			return nil, err
		}
		for i := range after {
			for c := range after[i] {
				copy(after[i][c], blocks[i][c])
			}
		}
	}
	for i, m := range meters {
		out[i] = m.Chunk(after[i])
	}
	return out, nil
}

// peakFloor is the level under which true peaks of tenths of a second need not be exact, in dBTP.
const peakFloor = -12

// MeasureAll is Measure until all of it is measured.
func (a *App) MeasureAll(ctx context.Context, id uuid.UUID) (m Measurement, err error) {
	for {
		if m, err = a.Measure(ctx, id); err != nil || m.Done == m.Total {
			return m, err
		}
	}
}

// PrintedMeasurement is what was measured of a reel against limits, as it is handed over.
func (a *App) PrintedMeasurement(ctx context.Context, id uuid.UUID, limits loudness.Limits) (out report.Measurement, err error) {
	m, err := a.MeasureAll(ctx, id)
	if err != nil {
		return out, err
	}
	r, err := a.Store.Reel(ctx, id)
	if err != nil {
		return out, err
	}
	p := m.Production
	tc := func(at int64) string { return p.Rate().FormatSamples(at, int64(p.SampleRate)) }
	out = report.Measurement{Production: p.Name, Reel: r.Name, Limits: limits.Name, From: tc(m.Start), To: tc(m.End), Printed: a.Now()}
	if p.Episode != "" {
		out.Production += ", " + p.Episode
	}
	if v := limits.Integrated; v != nil {
		out.Threads = append(out.Threads, report.Thread{LUFS: *v, Says: fmt.Sprintf("asked %.1f", *v)})
	}
	if v := limits.ShortTerm; v != nil {
		out.Threads = append(out.Threads, report.Thread{LUFS: *v, Says: fmt.Sprintf("at most %.1f", *v)})
	}
	known := func(v float64) float64 {
		if math.IsInf(v, 0) {
			return math.NaN()
		}
		return v
	}
	// Mixes first: they are what a recipient measures.
	order := []weave.Role{weave.Mix, weave.Stem, weave.Part}
	slices.SortStableFunc(m.Buses, func(x, y Measured) int {
		return slices.Index(order, x.Bus.Role) - slices.Index(order, y.Bus.Role)
	})
	for _, b := range m.Buses {
		w := report.MeasuredBus{Name: b.Bus.Name, Role: string(b.Bus.Role), Says: b.Says, Integrated: math.NaN(), Range: math.NaN(), ShortTerm: math.NaN(), Momentary: math.NaN(), TruePeak: math.NaN(), PPM: math.NaN()}
		if b.Says == "" {
			res := b.Result
			w.Integrated, w.ShortTerm, w.Momentary, w.TruePeak = known(res.Integrated), known(res.MaxShortTerm.Value), known(res.MaxMomentary.Value), known(res.TruePeak.Value)
			w.ShortTermAt, w.MomentaryAt, w.TruePeakAt = tc(m.Start+res.MaxShortTerm.At), tc(m.Start+res.MaxMomentary.At), tc(m.Start+res.TruePeak.At)
			if res.RangeKnown {
				w.Range = res.Range
			}
			quasi := math.Inf(-1)
			for _, c := range res.Channels {
				quasi = max(quasi, c.Quasi)
			}
			w.PPM = known(meter.Mark(quasi))
			for _, v := range limits.Judge(res, b.Powers) {
				d := report.Verdict{What: v.What, Asked: v.Asked, Words: v.Words, Pass: v.Pass, Found: math.NaN(), Margin: math.NaN()}
				if v.Found != nil {
					d.Found, d.Margin = *v.Found, *v.Margin
				}
				w.Verdicts = append(w.Verdicts, d)
			}
			if !math.IsNaN(w.Integrated) {
				for i := range b.Powers {
					w.Line = append(w.Line, b.Powers.At(i, limits.ShortTermPowers()))
				}
			}
		}
		out.Buses = append(out.Buses, w)
	}
	return out, nil
}

// Correction is what would bring a bus of a reel to a target: levels of buses, to be set as one change.
type Correction struct {
	loudness.Correction
	Production store.Production
	Before     loudness.Result
	Levels     map[string]weave.Level
	Stems      []string // the names of the buses that are given levels
	Also       []string // mixes that change with them
}

// PlanCorrection works out by which gains a bus comes to a target: gains of the bus itself or, where stems says so, the
// same gain of all stems that it is made of, so that they still add up to it. Nothing is changed. Peaks are not limited
// by gains: how high they come is told.
func (a *App) PlanCorrection(ctx context.Context, id uuid.UUID, bus string, target loudness.Target, stems bool) (c Correction, err error) {
	r, err := a.Store.Reel(ctx, id)
	if err != nil {
		return c, err
	}
	m, err := a.MeasureAll(ctx, id)
	if err != nil {
		return c, err
	}
	i := slices.IndexFunc(m.Buses, func(b Measured) bool { return b.Bus.ID == bus })
	if i < 0 {
		return c, snag.Refuse("no_such_stem", "there is no bus %q in this reel any more", bus)
	}
	if m.Buses[i].Says != "" {
		return c, snag.Refuse("no_loudness", "%s", m.Buses[i].Says)
	}
	c.Production, c.Before = m.Production, m.Buses[i].Result
	if c.Correction, err = loudness.Correct(m.Buses[i].Powers, m.Production.SampleRate, target); err != nil {
		return c, err
	}
	c.Levels, c.Also = r.Doc.Weave.Corrected(bus, c.GainDB, c.Curve.Moved(m.Start), stems)
	for id := range c.Levels {
		b, _ := r.Doc.Weave.Bus(id)
		c.Stems = append(c.Stems, b.Name)
	}
	slices.Sort(c.Stems)
	return c, nil
}

// chunksKept is how many chunks are kept: those of eight buses of five hours.
const chunksKept = 16000

// chunkCache keeps what was measured, by what sounds there. Its zero value is ready.
type chunkCache struct {
	once sync.Once
	lru  *lru.Cache[string, loudness.Chunk]
}

func (c *chunkCache) all() *lru.Cache[string, loudness.Chunk] {
	c.once.Do(func() { c.lru, _ = lru.New[string, loudness.Chunk](chunksKept) }) // fails for sizes under 1 alone
	return c.lru
}
