package delivery

import "encoding/json"

// upgrade reads a spec of format 0: outputs that become one file, or a mono file each.
func (s *Spec) upgrade(b []byte) error {
	var was struct {
		Name        string   `json:"name"`
		Description string   `json:"description"`
		Outputs     []string `json:"outputs"`
		SampleRate  int      `json:"sample_rate"`
		Coding      string   `json:"coding"`
		Dither      bool     `json:"dither"`
		Packings    []string `json:"packings"`
		Pattern     string   `json:"pattern"`
	}
	if err := json.Unmarshal(b, &was); err != nil {
		return err
	}
	*s = Spec{
		Format: SpecFormat, Version: 1, Name: was.Name, Description: was.Description, Outputs: was.Outputs, SampleRate: was.SampleRate,
		Coding: was.Coding, Dither: was.Dither, Programme: Programme{Length: "reel"}, Papers: Paperwork,
	}
	for _, p := range was.Packings {
		switch p {
		case "poly":
			s.Packings = append(s.Packings, polyOf(was.Pattern))
		case "mono":
			s.Packings = append(s.Packings, monoOf(was.Pattern))
		}
	}
	return nil
}

func polyOf(pattern string) Packing {
	return Packing{ID: "poly", Says: "one file with all outputs", Files: []FileRule{{Container: "wav", Name: pattern}}}
}

func monoOf(pattern string) Packing {
	return Packing{ID: "mono", Says: "one mono file an output", Files: []FileRule{{Each: EachOutput, Container: "wav", Name: pattern}}}
}

// UnmarshalJSON reads files of plans as they are now, and as they were when every channel of one was an output.
func (f *File) UnmarshalJSON(b []byte) error {
	type plain File
	var v struct {
		plain
		Outputs []int `json:"outputs"`
	}
	if err := json.Unmarshal(b, &v); err != nil {
		return err
	}
	*f = File(v.plain)
	if len(f.Channels) == 0 && v.Outputs != nil { // one that has a picture alone has no channels now
		for _, o := range v.Outputs {
			f.Channels = append(f.Channels, Channel{Output: o, Number: o + 1})
		}
		f.Container = "wav"
	}
	return nil
}

// UnmarshalJSON reads plans as they are now, and as they were when every file was of the reel's span and nothing else.
func (p *Plan) UnmarshalJSON(b []byte) error {
	type plain Plan
	if err := json.Unmarshal(b, (*plain)(p)); err != nil {
		return err
	}
	if p.Rates.Files == 0 && p.Order.Spec.SampleRate > 0 {
		p.Rates = Rates{p.Order.Spec.SampleRate, p.Order.Spec.SampleRate}
		p.From, p.To = p.Start, p.Start+p.Frames
		for i := range p.Files {
			f := &p.Files[i]
			f.Coding = p.Order.Spec.Coding
			for c := range f.Channels {
				if o := f.Channels[c].Output; o < len(p.Reel.Weave.Outputs) {
					f.Channels[c].Name = p.Reel.Weave.Outputs[o].Name
				}
			}
		}
	}
	return nil
}
