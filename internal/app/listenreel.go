package app

import (
	"context"
	"slices"

	"github.com/google/uuid"

	"zestyloom/core/audio"
	"zestyloom/core/edit"
	"zestyloom/core/mix"
	"zestyloom/core/monitor"
	"zestyloom/core/reel"
	"zestyloom/core/snag"
	"zestyloom/core/weave"
)

// ReelSignal says what of a reel is to be heard: a track, before its sends, a bus, or, with neither, its outputs as they
// are routed.
type ReelSignal struct {
	Track, Bus string
	Solo, Mute []string // tracks, clips and buses that alone are heard, or are not: see reel.Heard
	// Identify names the outputs in turn, by a tone and pips, in place of what is routed to them.
	Identify bool
	// Doing is heard as if it had been done.
	Doing []edit.Action
	// Uncorrected leaves corrections out, and GainDB is added for the listening: to compare what was before with what is.
	Uncorrected bool
	GainDB      float64
	// Untreated is a track or a bus that is heard before its treatment, as loud as it is after it there.
	Untreated string
	// Outputs are those that alone are heard, by their places from 0; all of them where it is empty.
	Outputs []int
	// Headphones is as its speakers are heard by a spherical head in their midst.
	Headphones bool
}

// ListenToReel plays something of a reel as it is now, on the reel's clock: samples since midnight of its day.
func (a *App) ListenToReel(ctx context.Context, id uuid.UUID, what ReelSignal, o Listening) (*Heard, error) {
	r, p, err := a.reelIn(ctx, id)
	if err != nil {
		return nil, err
	}
	o.Rate = p.SampleRate
	if what.Identify {
		inputs, fold, err := monitor.Identify(len(r.Doc.Weave.Outputs), p.SampleRate)
		if err != nil {
			return nil, err
		}
		return heard(ctx, inputs, o, fold)
	}
	doc, err := a.planned(ctx, r, what.Doing)
	if err != nil {
		return nil, err
	}
	if what.Track == "" {
		doc = doc.Heard(what.Solo, what.Mute)
	} else if i := slices.IndexFunc(doc.Tracks, func(t reel.Track) bool { return t.ID == what.Track }); i >= 0 && doc.Tracks[i].Off {
		doc.Tracks = slices.Clone(doc.Tracks)
		doc.Tracks[i].Off = false
	}
	if what.Untreated != "" {
		if doc, err = a.untreated(ctx, doc, p, what.Untreated, o.From); err != nil {
			return nil, err
		}
	}
	if what.Uncorrected {
		doc.Weave = doc.Weave.Uncorrected()
	}
	program, err := mix.Compile(doc, p.SampleRate, a.sources(ctx))
	if err != nil {
		return nil, err
	}
	signal, fold := mix.All(), monitor.FoldOutputs(doc.Weave)
	if len(what.Outputs) > 0 {
		fold = monitor.FoldSome(doc.Weave, what.Outputs)
	}
	for _, of := range []string{what.Track, what.Bus} {
		if of == "" {
			continue
		}
		signal = mix.Of(of)
		layout, err := program.Layout(signal)
		if err != nil {
			return nil, err
		}
		fold = monitor.FoldLayout(layout)
	}
	inputs, err := monitor.Signal(program, signal)
	if err == nil && what.Headphones {
		inputs, fold, err = onHeadphones(program, signal, doc.Weave, inputs, fold)
	}
	if err != nil {
		return nil, err
	}
	for i := range inputs {
		inputs[i].Gain = audio.Gain(what.GainDB)
	}
	if len(inputs) == 0 {
		return nil, snag.Refuse("nothing_to_hear", "the master has no outputs: give it some in Weave")
	}
	return heard(ctx, inputs, o, fold)
}

// onHeadphones hears a signal on headphones: a track or bus by its layout, the outputs by the speakers that they carry, as far as
// these are folded down at all.
func onHeadphones(p *mix.Program, s mix.Signal, w weave.Weave, inputs []monitor.Input, fold monitor.Fold) ([]monitor.Input, monitor.Fold, error) {
	l, err := p.Layout(s)
	if err != nil {
		return nil, fold, err
	}
	leave := make([]bool, len(inputs))
	if s == mix.All() {
		l.Name, l.Kind = "the outputs", audio.Bed
		for i, o := range w.Outputs {
			l.Speakers = append(l.Speakers, w.Speaker(o))
			leave[i] = fold.Matrix[i] == [2]float64{}
		}
	}
	return monitor.Headphones(inputs, l, leave)
}
