package httpapi_test

import (
	"bytes"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/order"
	"zestyloom/core/source"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/internal/cli"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/testmedia"
)

// sent is a file of a small production, as somebody sends it.
type sent struct {
	name   string
	labels []string // of its channels, for iXML; none at all where nil
	sound  [][]float64
	start  int64 // samples since midnight, -1 where it does not say
	mask   uint32
	day    string
}

// Browser and command line come to the same samples: small productions are taken in over HTTP, laid, woven by a template and
// delivered, and given to deliver; what comes of it is compared with each other, and with what the sums are by hand. What is not
// certain is asked by both, and nothing is laid or delivered before it is answered.
func TestBrowserAndCommandLineComeToTheSameSamples(t *testing.T) {
	s := start(t, "")
	rng := rand.New(rand.NewPCG(29, 9))
	const n, ten = 4800, 10 * 3600 * 48000
	noise := func(channels int) [][]float64 {
		out := make([][]float64, channels)
		for c := range out {
			out[c] = make([]float64, n)
			for i := range out[c] {
				out[c][i] = float64(int64(rng.IntN(1<<20))-1<<19) / (1 << 23)
			}
		}
		return out
	}
	sum := func(xs ...[]float64) []float64 {
		out := make([]float64, n)
		for _, x := range xs {
			for i, v := range x {
				out[i] += v
			}
		}
		return out
	}
	at := func(name string, labels []string, sound [][]float64) sent {
		return sent{name: name, labels: labels, sound: sound, start: ten}
	}
	a, b, c, d := noise(1), noise(2), noise(2), noise(1)
	six, four := noise(6), noise(4)
	none := make([]float64, n)
	const stems, spec = "Stereo stems DX MX FX", "Stem master, three stereo stems"
	for name, k := range testmedia.SomeOf(map[string]struct {
		files []sent
		asks  bool     // something has to be decided first
		read  []string // what is answered: as --read has it
		yes   bool     // and over HTTP: what is asked is so
		want  [][]float64
	}{
		"mono dialogue and a stereo score, labelled":      {[]sent{at("a.wav", []string{"Boom DX"}, a), at("b.wav", []string{"Score L", "Score R"}, b)}, false, nil, false, [][]float64{a[0], a[0], b[0], b[1], none, none}},
		"names of files alone":                            {[]sent{at("Ines_DX.wav", nil, a), at("1M1_MX_stereo.wav", nil, b)}, true, []string{"1M1*=pair"}, true, [][]float64{a[0], a[0], b[0], b[1], none, none}},
		"a header and a name agree":                       {[]sent{{name: "1M1_MX.wav", sound: b, start: ten, mask: 3}}, false, nil, false, [][]float64{none, none, b[0], b[1], none, none}},
		"two channels of nothing, which are a pair":       {[]sent{at("FX_7.wav", nil, b)}, true, []string{"FX_7=pair"}, true, [][]float64{none, none, none, none, b[0], b[1]}},
		"two channels of nothing, which are not":          {[]sent{at("FX_7.wav", nil, b)}, true, []string{"FX_7=apart"}, false, [][]float64{none, none, none, none, sum(b[0], b[1]), sum(b[0], b[1])}},
		"mono files of a pair":                            {[]sent{at("LF_MX.L.wav", nil, b[:1]), at("LF_MX.R.wav", nil, b[1:])}, false, nil, false, [][]float64{none, none, b[0], b[1], none, none}},
		"right before left":                               {[]sent{at("LF_MX.R.wav", nil, b[1:]), at("LF_MX.L.wav", nil, b[:1])}, false, nil, false, [][]float64{none, none, b[0], b[1], none, none}},
		"two pairs of one stem":                           {[]sent{at("x.wav", []string{"Deck FX L", "Deck FX R"}, b), at("y.wav", []string{"Sea FX L", "Sea FX R"}, c)}, false, nil, false, [][]float64{none, none, none, none, sum(b[0], c[0]), sum(b[1], c[1])}},
		"six channels with a mask that nothing bears out": {[]sent{{name: "FX six.wav", sound: six, start: ten, mask: 0x3F}}, true, []string{"FX six=apart"}, false, [][]float64{none, none, none, none, sum(six...), sum(six...)}},
		"unlabelled strands of several files":             {[]sent{at("Door FX.wav", nil, a), at("Wind FX.wav", nil, d)}, false, nil, false, [][]float64{none, none, none, none, sum(a[0], d[0]), sum(a[0], d[0])}},
		"a narration has no stem":                         {[]sent{at("VO_EN.wav", nil, a), at("x.wav", []string{"Boom DX"}, d)}, false, nil, false, [][]float64{d[0], d[0], none, none, none, none}},
		"a recorder's mix is left off":                    {[]sent{at("r.wav", []string{"MixL", "MixR", "Boom DX", "Lav DX"}, four)}, false, nil, false, [][]float64{sum(four[2], four[3]), sum(four[2], four[3]), none, none, none, none}},
		"5.1 in broadcast order":                          {[]sent{at("s.wav", []string{"MX L", "MX R", "MX C", "MX LFE", "MX Ls", "MX Rs"}, six)}, false, nil, false, nil},
		"5.1 in film order":                               {[]sent{at("s.wav", []string{"MX L", "MX C", "MX R", "MX Ls", "MX Rs", "MX LFE"}, six)}, false, nil, false, nil},
		"six mono files in film order":                    {[]sent{at("LF_MX_1.L.wav", nil, six[:1]), at("LF_MX_2.C.wav", nil, six[1:2]), at("LF_MX_3.R.wav", nil, six[2:3]), at("LF_MX_4.Ls.wav", nil, six[3:4]), at("LF_MX_5.Rs.wav", nil, six[4:5]), at("LF_MX_6.LFE.wav", nil, six[5:])}, false, nil, false, nil},
		"a field by its labels":                           {[]sent{at("FX deck.wav", []string{"ACN 0", "ACN 1", "ACN 2", "ACN 3"}, four)}, false, nil, false, nil},
		"W Y Z X":                                         {[]sent{at("FX deck.wav", []string{"W", "Y", "Z", "X"}, four)}, false, nil, false, nil},
		"W X Y Z is asked":                                {[]sent{at("FX deck.wav", []string{"W", "X", "Y", "Z"}, four)}, true, []string{"FX deck=fuma"}, true, nil},
		"W X Y Z, each by itself":                         {[]sent{at("FX deck.wav", []string{"W", "X", "Y", "Z"}, four)}, true, []string{"FX deck=apart"}, false, nil},
		"a file called ambisonic":                         {[]sent{at("FX_ambix.wav", nil, four)}, true, []string{"FX_ambix=field"}, true, nil},
		"six channels that name nothing":                  {[]sent{at("FX six.wav", nil, six)}, true, []string{"FX six=5.1"}, true, nil},
		"four channels that name nothing":                 {[]sent{at("FX four.wav", nil, four)}, false, nil, false, [][]float64{none, none, none, none, sum(four...), sum(four...)}},
		"numbers for labels":                              {[]sent{at("DX.wav", []string{"Track 1", "Track 2"}, b)}, true, []string{"DX=apart"}, false, [][]float64{sum(b...), sum(b...), none, none, none, none}},
		"one label of two":                                {[]sent{at("DX.wav", []string{"Boom DX", ""}, b)}, false, nil, false, nil},
		"one after the other":                             {[]sent{at("a.wav", []string{"Boom DX"}, a), {name: "b.wav", labels: []string{"Boom DX"}, sound: d, start: ten + 9600}}, false, nil, false, nil},
		"two takes of one label at once":                  {[]sent{at("a.wav", []string{"Boom DX"}, a), at("b.wav", []string{"Boom DX"}, d)}, false, nil, false, [][]float64{sum(a[0], d[0]), sum(a[0], d[0]), none, none, none, none}},
		"over midnight, with dates":                       {[]sent{{name: "b.wav", labels: []string{"Boom DX"}, sound: d, start: 3 * 48000, day: "2026-03-15"}, {name: "a.wav", labels: []string{"Boom DX"}, sound: a, start: (24*3600 - 2) * 48000, day: "2026-03-14"}}, false, nil, false, nil},
		"a dialogue and both languages":                   {[]sent{at("a.wav", []string{"Boom DX"}, a), at("VO_EN.wav", nil, d), at("VO_PT.wav", nil, four[:1])}, false, nil, false, [][]float64{a[0], a[0], none, none, none, none}},
		"mix files that are no rough mix":                 {[]sent{at("MX mix.wav", []string{"MixL", "MixR"}, b)}, false, nil, false, nil},
		"mid and side":                                    {[]sent{at("w.wav", []string{"Wind FX M", "Wind FX S"}, b)}, false, nil, false, [][]float64{none, none, none, none, sum(b[0], b[1]), difference(b[0], b[1])}},
		"a mask and labels agree on 5.1":                  {[]sent{{name: "FX s.wav", labels: []string{"FX L", "FX R", "FX C", "FX LFE", "FX Ls", "FX Rs"}, sound: six, start: ten, mask: 0x3F}}, false, nil, false, nil},
		"labels in small letters":                         {[]sent{at("a.wav", []string{"boom dx"}, a), at("b.wav", []string{"score l", "score r"}, b)}, false, nil, false, [][]float64{a[0], a[0], b[0], b[1], none, none}},
		"left and right in words":                         {[]sent{at("b.wav", []string{"Score left", "Score right"}, b)}, false, nil, false, [][]float64{none, none, b[0], b[1], none, none}},
		"mono music":                                      {[]sent{at("1M2 MX.wav", nil, a)}, false, nil, false, [][]float64{none, none, a[0], a[0], none, none}},
		"both sides of a pair the same":                   {[]sent{at("b.wav", []string{"Score L", "Score R"}, [][]float64{a[0], a[0]})}, false, nil, false, [][]float64{none, none, a[0], a[0], none, none}},
		"a side that is silent":                           {[]sent{at("b.wav", []string{"Score L", "Score R"}, [][]float64{a[0], none})}, false, nil, false, [][]float64{none, none, a[0], none, none, none}},
		"all three stems from pairs of files":             {[]sent{at("R1_DX.L.wav", nil, b[:1]), at("R1_DX.R.wav", nil, b[1:]), at("R1_MX.L.wav", nil, c[:1]), at("R1_MX.R.wav", nil, c[1:]), at("R1_FX.L.wav", nil, six[:1]), at("R1_FX.R.wav", nil, six[1:2])}, false, nil, false, [][]float64{b[0], b[1], c[0], c[1], six[0], six[1]}},
		"three microphones and an effect":                 {[]sent{at("r.wav", []string{"Boom DX", "Lav Ines DX", "Lav Ben DX", "Ferry FX"}, four)}, false, nil, false, [][]float64{sum(four[:3]...), sum(four[:3]...), none, none, four[3], four[3]}},
		"seven and one by labels":                         {[]sent{at("s.wav", []string{"MX L", "MX R", "MX C", "MX LFE", "MX Lss", "MX Rss", "MX Lsr", "MX Rsr"}, append(slices.Clone(six), b...))}, false, nil, false, nil},
		"a pair and a language of its own name":           {[]sent{at("b.wav", []string{"Score L", "Score R"}, b), at("VO_PT.wav", nil, a)}, false, nil, false, [][]float64{none, none, b[0], b[1], none, none}},
	}, 4) {
		t.Run(name, func(t *testing.T) {
			s.t = t
			dir := t.TempDir()
			var paths []string
			for _, f := range k.files {
				paths = append(paths, f.write(t, dir))
			}
			web := s.deliveredOver(t, paths, k.asks, k.yes, stems, spec)
			line := byCommand(t, dir, paths, k.asks, k.read, stems, spec)
			require.Len(t, web, 6)
			require.Len(t, line, 6)
			for c := range web {
				require.Len(t, line[c], len(web[c]))
				assert.True(t, slices.Equal(web[c], line[c]), "output %d: over HTTP and by deliver", c+1)
				if k.want == nil { // held against each other alone
					continue
				}
				for i, v := range k.want[c] {
					if web[c][i] != v {
						t.Fatalf("output %d, frame %d: %v instead of %v", c+1, i, web[c][i], v)
					}
				}
			}
		})
	}
}

func difference(a, b []float64) []float64 {
	out := make([]float64, len(a))
	for i := range out {
		out[i] = a[i] - b[i]
	}
	return out
}

func (f sent) write(t *testing.T, dir string) string {
	t.Helper()
	o := wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: len(f.sound), Mask: f.mask}}
	o.IXML = wave.NewIXML()
	o.IXML.SetSpeed(48000, 24, f.start, timecode.Rate{Num: 25, Den: 1})
	if f.day != "" {
		o.Bext = &wave.Bext{OriginationDate: f.day, OriginationTime: "10:00:00", TimeReference: uint64(f.start), Version: 1}
	}
	if f.labels != nil {
		var tracks []wave.IXMLTrack
		for c, l := range f.labels {
			tracks = append(tracks, wave.IXMLTrack{Recorder: c + 1, Interleave: c + 1, Name: l})
		}
		o.IXML.SetTracks(tracks)
	}
	path := filepath.Join(dir, f.name)
	testmedia.WriteAs(t, path, o, f.sound...)
	return path
}

// deliveredOver takes files in over HTTP, answers what is asked, lays all, weaves by a template, and orders: what is in the file.
func (s *server) deliveredOver(t *testing.T, paths []string, asks, yes bool, template, spec string) [][]float64 {
	p := s.production()
	for _, path := range paths {
		s.uploadFile(p, path)
	}
	s.settled(p, len(paths))
	reel := s.reel(p)
	path := "/api/reels/" + reel.Id.String()
	var ids []string
	asked := false
	for _, tk := range s.takes(p) {
		ids = append(ids, tk.Id.String())
		if !tk.Final {
			require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/sheet", map[string]any{"what": "accept", "cells": []any{map[string]any{"row": tk.Id, "field": "accepted", "value": true}}}, nil))
		}
		for _, h := range tk.Suggestions {
			if h.Asks {
				asked = true
				var problem contract.Problem
				require.Equal(t, 422, s.call("POST", path+"/takes", map[string]any{"takes": []string{tk.Id.String()}}, &problem))
				require.Equal(t, "undecided", problem.Code, "nothing undecided is laid")
				require.Equal(t, 200, s.call("POST", "/api/productions/"+p+"/suggestions", map[string]any{"suggestions": []any{h.Id}, "accept": yes}, nil))
			}
		}
	}
	require.Equal(t, asks, asked, "what is asked")
	require.Equal(t, 200, s.call("POST", path+"/takes", map[string]any{"takes": ids}, nil))
	var templates []contract.KeptTemplate
	require.Equal(t, 200, s.call("GET", "/api/weave-templates", nil, &templates))
	i := slices.IndexFunc(templates, func(k contract.KeptTemplate) bool { return k.Template.Name == template })
	require.Equal(t, 200, s.call("POST", path+"/edits", map[string]any{"version": s.reel(p).Version, "what": "weave", "actions": []any{map[string]any{"weave": map[string]any{"use": map[string]any{"template": templates[i].Template}}}}}, nil))
	var specs []contract.Spec
	require.Equal(t, 200, s.call("GET", "/api/specs", nil, &specs))
	k := slices.IndexFunc(specs, func(k contract.Spec) bool { return k.Spec.Name == spec })
	body := map[string]any{"spec": specs[k].Id, "accept": []string{"output_silent", "no_stem"}}
	s.call("POST", path+"/edits", map[string]any{"version": s.reel(p).Version, "what": "start", "actions": []any{map[string]any{"set_start": map[string]any{}}}}, nil)
	return decoded(t, s.ordered(t, path, body, "web.wav"))
}

// ordered orders a delivery of a reel, waits until it is proven, and fetches its first file.
func (s *server) ordered(t *testing.T, path string, asked any, name string) string {
	var made contract.Delivery
	require.Equal(t, 202, s.call("POST", path+"/deliveries", asked, &made))
	made = until(t, "a proven delivery", func() contract.Delivery {
		var now contract.Delivery
		s.call("GET", "/api/deliveries/"+made.Id.String(), nil, &now)
		return now
	}, func(d contract.Delivery) bool {
		return d.State == order.Proven || d.State == order.Failed
	})
	require.Equal(t, order.Proven, made.State, "%+v", made.Error)
	resp, err := http.Get(s.url + "/api/deliveries/" + made.Id.String() + "/files/0")
	require.NoError(t, err)
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), name)
	require.NoError(t, os.WriteFile(file, b, 0o600))
	return file
}

// byCommand gives the same files to deliver.
func byCommand(t *testing.T, dir string, paths []string, asks bool, read []string, template, spec string) [][]float64 {
	run := func(args ...string) (string, error) {
		var out bytes.Buffer
		root := cli.Root()
		root.SetArgs(args)
		root.SetOut(&out)
		root.SetErr(&out)
		return out.String(), root.ExecuteContext(t.Context())
	}
	out := filepath.Join(dir, "delivered")
	args := append([]string{"deliver", "--spec", spec, "--weave", template, "--production", "P", "--out", out, "--accept", "output_silent,no_stem", "--json"}, paths...)
	if asks {
		_, err := run(args...)
		require.ErrorAs(t, err, new(cli.Unmet), "it is asked")
		require.NoDirExists(t, out)
	}
	for _, r := range read {
		args = append(args, "--read", r)
	}
	_, err := run(args...)
	require.NoError(t, err)
	made, err := filepath.Glob(filepath.Join(out, "*.wav"))
	require.NoError(t, err)
	require.Len(t, made, 1)
	return decoded(t, made[0])
}

func decoded(t *testing.T, path string) [][]float64 {
	t.Helper()
	src, err := source.Open(path)
	require.NoError(t, err)
	defer src.Close()
	raw := make([]byte, int(src.Frames)*src.Format.FrameBytes())
	require.NoError(t, src.ReadFull(raw, 0))
	out := make([][]float64, src.Format.Channels)
	for c := range out {
		out[c] = make([]float64, src.Frames)
		audio.DecodeChannel(out[c], raw, src.Format.Coding, src.Format.Channels, c)
	}
	return out
}
