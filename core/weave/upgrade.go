package weave

import (
	"encoding/json"
)

// UnmarshalJSON reads a weave as it is written now, and as it was when there were but stems, and one route a track.
func (w *Weave) UnmarshalJSON(b []byte) error {
	type plain Weave
	var v struct {
		plain
		Stems  []Bus            `json:"stems"`
		Routes map[string]Route `json:"routes"`
	}
	if err := json.Unmarshal(b, &v); err != nil {
		return err
	}
	*w = Weave(v.plain)
	for _, s := range v.Stems {
		s.Role = Stem
		w.Buses = append(w.Buses, s)
	}
	if w.Sends == nil {
		w.Sends = map[string][]Send{}
	}
	for id, r := range v.Routes {
		w.Sends[id] = r.Sends()
	}
	return nil
}

// UnmarshalJSON reads an output as it is written now, and as it was when buses were but stems.
func (o *Output) UnmarshalJSON(b []byte) error {
	type plain Output
	var v struct {
		plain
		Stem string `json:"stem"`
	}
	if err := json.Unmarshal(b, &v); err != nil {
		return err
	}
	if *o = Output(v.plain); o.Bus == "" {
		o.Bus = v.Stem
	}
	return nil
}

// Route is a track's one way into a stem: a send of one channel at a position.
type Route struct {
	Stem     string  `json:"stem"`
	GainDB   float64 `json:"gain_db"`
	Position Preset  `json:"position"`
}

// Sends are the sends that a route is.
func (r Route) Sends() []Send {
	return []Send{{To: r.Stem, GainDB: r.GainDB, Patch: Patch{Preset: r.Position}}}
}
