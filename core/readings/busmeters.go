package readings

import (
	"context"
	"math"
	"runtime"

	"zestyloom/core/audio"
	"zestyloom/core/meter"
	"zestyloom/core/mix"
	"zestyloom/core/reel"
	"zestyloom/core/safely"
)

// BusMeter is what meters read of a bus over a stretch, in as many equal parts as were asked for: of its channels by order, in dBFS, not
// under -100.
type BusMeter struct {
	Bus  string
	Peak [][]float64 // the greatest sample, by channel and part
	PPM  [][]float64 // a programme meter of type IIa, by channel and part
	Over []bool      // by channel: a sample came to full scale
}

// Bounds of what meters are asked for at once.
const (
	MostMetered = 30 // seconds
	MostParts   = 1000
	meterFloor  = -100.0
	settled     = 2 // seconds in which a programme meter falls back by 17 dB from what it heard before
)

// BusMeters reads meters of all buses of a reel as it is heard over [from, to): see mix.Program. Programme meters have heard two
// seconds before it.
func BusMeters(ctx context.Context, r reel.Reel, rate int, sources mix.Sources, from, to int64, parts int) ([]BusMeter, error) {
	if err := inParts(from, to, rate, MostMetered, parts, MostParts); err != nil {
		return nil, err
	}
	p, err := mix.Compile(r, rate, sources)
	if err != nil {
		return nil, err
	}
	out := make([]BusMeter, len(r.Weave.Buses))
	meters := make([][]*meter.Channel, len(out))
	var signals []mix.Signal
	taps := make([]mix.Tap, len(out))
	for i, b := range r.Weave.Buses {
		n := b.Channels().Count
		out[i] = BusMeter{Bus: b.ID, Over: make([]bool, n)}
		for range n {
			out[i].Peak, out[i].PPM = append(out[i].Peak, floors(parts)), append(out[i].PPM, floors(parts))
			meters[i] = append(meters[i], meter.NewChannel(rate))
		}
		signals = append(signals, mix.Of(b.ID))
		taps[i] = func(block audio.Block, at int64) error {
			return safely.Each(runtime.GOMAXPROCS(0), len(block), func(c int) error {
				x := block[c]
				for done := 0; done < len(x); {
					here := at + int64(done)
					part, end := -1, from
					if here >= from {
						part = int((here - from) * int64(parts) / (to - from))
						end = from + (int64(part+1)*(to-from)+int64(parts)-1)/int64(parts) // the first sample of the next part
					}
					k := min(len(x)-done, int(end-here))
					v := meters[i][c].Add(x[done : done+k])
					done += k
					if part < 0 {
						continue
					}
					out[i].Peak[c][part] = max(out[i].Peak[c][part], decibels(v.Peak))
					out[i].PPM[c][part] = max(out[i].PPM[c][part], decibels(v.PPM))
					out[i].Over[c] = out[i].Over[c] || v.Over > 0
				}
				return nil
			})
		}
	}
	if len(signals) == 0 {
		return out, nil
	}
	pl, err := p.Play(signals...)
	if err != nil {
		return nil, err
	}
	defer pl.Close()
	return out, pl.Run(ctx, max(0, from-int64(settled*rate)), to, taps...)
}

func floors(n int) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = meterFloor
	}
	return out
}

// decibels of a factor, to a tenth: what is shown.
func decibels(v float64) float64 {
	if v <= 1e-5 {
		return meterFloor
	}
	return math.Round(200*math.Log10(v)) / 10
}
