package weave

import (
	"math"
	"slices"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// SetCrossings types levels into crossings of a grid: of tracks or buses with channels of buses that they are sent to. A way that
// comes to what a preset says is said as that preset, others are a matrix; one that has nothing left goes.
type SetCrossings struct {
	Crossings []Crossing `json:"crossings"`
}

// Crossing is where a channel of a track or bus meets a channel of a bus.
type Crossing struct {
	From    string `json:"from"`    // the track or bus that is sent
	To      string `json:"to"`      // the bus that it is sent into
	Channel int    `json:"channel"` // of the bus, from 0
	// Of is the channel of what is sent, from 0; where it is not given, the one that is heard most there, or else the one of the
	// same name, or the same place.
	Of *int `json:"of,omitempty"`
	// DB is the level at the crossing, with the gain of the send; nothing goes in there where it is not given.
	DB *float64 `json:"db,omitempty"`
}

// MostCrossings bounds how many crossings are set at once.
const MostCrossings = 10000

func (o *SetCrossings) apply(d *changing) error {
	if len(o.Crossings) > MostCrossings {
		return snag.Refuse("too_many_channels", "%d crossings at once: at most %d can be set", len(o.Crossings), MostCrossings)
	}
	type way struct{ from, to string }
	var touched []way
	for _, c := range o.Crossings {
		if err := d.cross(c); err != nil {
			return err
		}
		if w := (way{c.From, c.To}); !slices.Contains(touched, w) {
			touched = append(touched, w)
		}
	}
	for _, w := range touched {
		d.plainly(w.from, w.to)
	}
	return nil
}

func (d *changing) cross(c Crossing) error {
	i, err := d.bus(c.To)
	if err != nil {
		return err
	}
	to := d.Buses[i].Channels()
	from, name := d.layoutOf(c.From)
	if from.Count == 0 {
		return snag.Refuse("no_such_signal", "there is no track or bus %q to send", c.From)
	}
	if c.Channel < 0 || c.Channel >= to.Count {
		return snag.Refuse("no_such_channel", "%s has %d channels, and no channel %d", d.Buses[i].Name, to.Count, c.Channel+1)
	}
	if c.DB != nil && !(*c.DB >= MinGain && *c.DB <= MaxGain) {
		return snag.Refuse("bad_gain", "a level of %g dB is outside %d to %d dB", *c.DB, MinGain, MaxGain)
	}
	sends := slices.Clone(d.Sends[c.From])
	k := slices.IndexFunc(sends, func(s Send) bool { return s.To == c.To })
	if k < 0 {
		if c.DB == nil {
			return nil
		}
		k = len(sends)
		sends = append(sends, Send{To: c.To, Patch: Patch{Preset: Custom, Matrix: audio.NewMatrix(to.Count, from.Count)}})
	}
	s := &sends[k]
	if s.Patch.Moves() {
		return snag.Refuse("bad_patch", "how %s enters %s moves over time: its levels are drawn in Reel, and not typed", name, d.Buses[i].Name)
	}
	was, err := s.Patch.Between(from, to)
	if err != nil {
		return err
	}
	if s.Patch.Ahead(from, to) != nil {
		return snag.Refuse("bad_patch", "%s is matrixed into %s, some of it 90° ahead: choose another way first", name, d.Buses[i].Name)
	}
	m := audio.NewMatrix(to.Count, from.Count)
	for r := range was {
		copy(m[r], was[r])
	}
	of := channelAt(m[c.Channel], from, to.Channel(c.Channel), c.Channel)
	if c.Of != nil {
		of = *c.Of
	}
	if of < 0 || of >= from.Count {
		return snag.Refuse("no_such_channel", "%s has %d channels, and no channel %d", name, from.Count, of+1)
	}
	m[c.Channel][of] = 0
	if c.DB != nil {
		if m[c.Channel][of] = Factor(min(max(*c.DB-s.GainDB, MinGain), MaxGain)); was[c.Channel][of] < 0 { // a side stays turned over
			m[c.Channel][of] = -m[c.Channel][of]
		}
	}
	s.Patch = Patch{Preset: Custom, Matrix: m, Name: s.Patch.Name}
	d.Sends[c.From] = sends
	return nil
}

// channelAt is which channel of what is sent a crossing is about where nobody says.
func channelAt(row []float64, from audio.Layout, name string, at int) int {
	most := 0
	for j, f := range row {
		if f*f > row[most]*row[most] {
			most = j
		}
	}
	if row[most] != 0 {
		return most
	}
	if j := slices.Index(from.Channels(), name); j >= 0 {
		return j
	}
	if at < from.Count {
		return at
	}
	return 0
}

// plainly says a way by the preset that it comes to, if there is one, and takes one away by which nothing goes.
func (d *changing) plainly(from, to string) {
	sends := d.Sends[from]
	k := slices.IndexFunc(sends, func(s Send) bool { return s.To == to })
	if k < 0 || sends[k].Patch.Preset != Custom {
		return
	}
	m := sends[k].Patch.Matrix
	if !slices.ContainsFunc(m, func(row []float64) bool { return slices.ContainsFunc(row, func(f float64) bool { return f != 0 }) }) {
		if d.Sends[from] = slices.Delete(sends, k, k+1); len(d.Sends[from]) == 0 {
			delete(d.Sends, from)
		}
		return
	}
	of, _ := d.layoutOf(from)
	b, _ := d.Bus(to)
	for _, preset := range []Preset{Plain, Both, BothMinus, Left, Right, Centre, BySpeaker, Exchanged} {
		p := Patch{Preset: preset}
		if plain, err := p.Between(of, b.Channels()); err == nil && slices.EqualFunc(plain, m, near) {
			sends[k].Patch = p
			return
		}
	}
}

// near reports whether factors are the same but for the decimals that a level was typed with.
func near(a, b []float64) bool {
	return slices.EqualFunc(a, b, func(x, y float64) bool { return math.Abs(x-y) < 1e-5 })
}
