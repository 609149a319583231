package app

import (
	"context"
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"sync"
	"time"

	"github.com/google/uuid"
	lru "github.com/hashicorp/golang-lru/v2"

	"zestyloom/core/loudness"
	"zestyloom/core/meter"
	"zestyloom/core/readiness"
	"zestyloom/core/readings"
	"zestyloom/core/report"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
	"zestyloom/internal/store"
)

// measuredAtOnce is how long a request measures before it says how far it is. What was measured is kept.
const measuredAtOnce = 1200 * time.Millisecond

// Measurement is how far a reel is measured, and what was found of it once all of it is.
type Measurement struct {
	readings.Measurement
	Production store.Production
	Reel       store.Reel
}

// Measure measures a reel: what has not changed since it was measured last is not measured again. It does as much as it can
// in little more than a second, and is called again until it is complete.
func (a *App) Measure(ctx context.Context, id uuid.UUID) (m Measurement, err error) {
	r, err := a.Store.Reel(ctx, id)
	if err != nil {
		return m, err
	}
	return a.measure(ctx, r, time.Now().Add(measuredAtOnce))
}

// measure is Measure until a time, the zero one for never. What the spec that the reel is held against would not have is
// counted once all is known.
func (a *App) measure(ctx context.Context, r store.Reel, until time.Time) (m Measurement, err error) {
	m.Reel = r
	if m.Production, err = a.Store.Production(ctx, r.ProductionID); err != nil {
		return m, err
	}
	m.Production = m.Production.As(r.Doc)
	m.Measurement, err = readings.Measure(ctx, r.Doc, m.Production.SampleRate, a.sources(ctx), a.measured.all(), until)
	if err != nil || !m.Complete() {
		return m, err
	}
	return m, a.countLoudness(ctx, r, m)
}

// requestWorks is for how long a request works before it says how far it is.
const requestWorks = 900 * time.Millisecond

// measuredAll is what is measured of a reel, all of it, or NotYet.
func (a *App) measuredAll(ctx context.Context, id uuid.UUID) (m Measurement, err error) {
	r, err := a.Store.Reel(ctx, id)
	if err != nil {
		return m, err
	}
	if m, err = a.measure(ctx, r, time.Now().Add(requestWorks)); err == nil && !m.Complete() {
		err = &NotYet{Done: float64(m.Done) / float64(max(1, m.Total))}
	}
	return m, err
}

// countLoudness keeps how many limits a reel that is measured would not keep.
func (a *App) countLoudness(ctx context.Context, r store.Reel, m Measurement) error {
	plan, err := heldPlan(ctx, a.Store.Queries, m.Production, r, r.Doc)
	if err != nil {
		return err
	}
	n := readiness.Count(readiness.Loudness(plan, m.Levels))["measure"]
	news, err := a.Store.SetLoudnessSnags(ctx, r.ID, r.Version, n)
	if err != nil || !news {
		return err
	}
	return publish(ctx, a.Store.Queries, Event{Production: r.ProductionID, Kind: "loudness", ID: r.ID.String()})
}

// The names of limits that are asked for, beside those of loudness.Known.
const (
	LimitsOfSpec = "spec" // those of the specification that the reel is held against
	LimitsOfOwn  = "own"
)

// Asking finds what is asked for under a name; own are limits in JSON, for those.
func (a *App) Asking(ctx context.Context, reel uuid.UUID, name, own string) (readings.Asking, error) {
	switch name {
	case LimitsOfOwn:
		l, err := loudness.ParseLimits([]byte(own))
		if l.Name == "" {
			l.Name = "limits of your own"
		}
		return readings.Everywhere(l), err
	case LimitsOfSpec:
		if reel == uuid.Nil {
			return readings.Asking{}, snag.Refuse("bad_limits", "a take is held against no specification: a reel is")
		}
		r, err := a.Store.Reel(ctx, reel)
		if err != nil {
			return readings.Asking{}, err
		}
		spec, err := heldAgainst(ctx, a.Store.Queries, r)
		return readings.BySpec(spec), err
	}
	l, ok := loudness.Known()[name]
	if !ok {
		return readings.Asking{}, snag.Refuse("bad_limits", "there are no limits %q", name)
	}
	return readings.Everywhere(l), nil
}

// PrintedMeasurement is what was measured of a reel against what is asked, as it is handed over.
func (a *App) PrintedMeasurement(ctx context.Context, id uuid.UUID, asking readings.Asking) (out report.Measurement, err error) {
	m, err := a.measuredAll(ctx, id)
	if err != nil {
		return out, err
	}
	p := m.Production
	tc := func(at int64) string { return p.Rate().FormatSamples(at, int64(p.SampleRate)) }
	out = report.Measurement{Production: p.Name, Reel: m.Reel.Name, Limits: asking.Name, From: tc(m.Start), To: tc(m.End), Printed: a.Now()}
	if p.Episode != "" {
		out.Production += ", " + p.Episode
	}
	known := func(v float64) float64 {
		if math.IsInf(v, 0) {
			return math.NaN()
		}
		return v
	}
	// Mixes first: they are what a recipient measures.
	order := []weave.Role{weave.Mix, weave.Stem, weave.Part, readings.Outputs}
	slices.SortStableFunc(m.Of, func(x, y readings.Measured) int {
		return slices.Index(order, x.Role) - slices.Index(order, y.Role)
	})
	for _, b := range m.Of {
		if b.As != "" {
			continue // it reads as its bus
		}
		limits, asked := asking.Of(m.Measurement, b)
		w := report.MeasuredBus{Name: b.Name, Role: string(b.Role), Says: b.Says, Integrated: math.NaN(), Range: math.NaN(), ShortTerm: math.NaN(), Momentary: math.NaN(), TruePeak: math.NaN(), PPM: math.NaN()}
		if b.Says == "" {
			res := b.Result
			w.Integrated, w.ShortTerm, w.Momentary, w.TruePeak = known(res.Integrated), known(res.MaxShortTerm.Value), known(res.MaxMomentary.Value), known(res.TruePeak.Value)
			w.ShortTermAt, w.MomentaryAt, w.TruePeakAt = tc(m.Start+res.MaxShortTerm.At), tc(m.Start+res.MaxMomentary.At), tc(m.Start+res.TruePeak.At)
			if res.RangeKnown {
				w.Range = res.Range
			}
			w.PPM = known(meter.Mark(res.Quasi()))
			if asked {
				w.Verdicts, w.Threads = verdicts(limits, b), threads(limits)
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

// threads are the limits that are drawn into a graph.
func threads(l loudness.Limits) (out []report.Thread) {
	if v := l.Integrated; v != nil {
		out = append(out, report.Thread{LUFS: *v, Says: fmt.Sprintf("asked %.1f", *v)})
	}
	if v := l.ShortTerm; v != nil {
		out = append(out, report.Thread{LUFS: *v, Says: fmt.Sprintf("at most %.1f", *v)})
	}
	return out
}

func verdicts(l loudness.Limits, b readings.Measured) (out []report.Verdict) {
	for _, v := range l.Judge(b.Result, b.Powers) {
		d := report.Verdict{What: v.What, Asked: v.Asked, Words: v.Words, Pass: v.Pass, Found: math.NaN(), Margin: math.NaN()}
		if v.Found != nil {
			d.Found, d.Margin = *v.Found, *v.Margin
		}
		out = append(out, d)
	}
	return out
}

// PlanCorrection works out by which gains a bus of a reel comes to a target. Nothing is changed.
func (a *App) PlanCorrection(ctx context.Context, id uuid.UUID, o readings.Order) (p readings.Plan, r store.Reel, err error) {
	if r, err = a.Store.Reel(ctx, id); err != nil {
		return p, r, err
	}
	production, err := a.Store.Production(ctx, r.ProductionID)
	if err != nil {
		return p, r, err
	}
	asked, err := json.Marshal(o)
	if err != nil {
		return p, r, err
	}
	state, err := a.heardFrom(ctx, r.Doc)
	if err != nil {
		return p, r, err
	}
	found, done, err := a.asides.do(ctx, fmt.Sprint("correction ", r.ID, r.Version, state, string(asked)), requestWorks, func(ctx context.Context) (any, error) {
		return readings.Correct(ctx, r.Doc, production.SampleRate, a.sources(ctx), a.measured.all(), o)
	})
	if err == nil && !done {
		err = &NotYet{}
	}
	p, _ = found.(readings.Plan)
	return p, r, err
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
