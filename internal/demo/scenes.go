package demo

import (
	"zestyloom/core/audio"
	"zestyloom/core/resample"
)

// scene is who says what when, in one take.
type scene struct {
	seconds            float64
	ines, odell, marit []line
	seed               uint64
}

var (
	take1 = scene{10, []line{{0.8, 2.1}, {5.0, 2.0}}, []line{{3.2, 1.6}, {7.4, 2.0}}, nil, 101}
	take3 = scene{18, []line{{1.0, 2.2}, {5.6, 2.5}, {11.6, 2.0}}, []line{{3.5, 1.8}, {8.6, 2.6}, {14.2, 2.9}}, nil, 103}
	pier  = scene{14, []line{{1.0, 2.2}, {7.0, 1.6}}, []line{{10.8, 2.4}}, []line{{3.6, 3.0}, {9.0, 1.5}}, 105}
)

// again is the same scene acted once more: the same lines, never quite the same.
func (s scene) again(seed uint64) scene {
	later := func(ls []line) []line {
		out := make([]line, len(ls))
		for i, l := range ls {
			out[i] = line{l.at + 0.23*float64(i+1), l.length * 0.96}
		}
		return out
	}
	return scene{s.seconds, later(s.ines), later(s.odell), later(s.marit), seed}
}

// say is what a voice says in this scene: another scene, or another take of it, is another performance.
func (s scene) say(v voice, lines []line, rate float64) []float64 {
	v.seed = v.seed*1000 + s.seed
	return normalise(v.say(lines, int(s.seconds*48000), rate), 0.5)
}

// microphones records a scene on the first recorder's eight tracks: a two-channel mix, the boom,
// two or three lavs, a plant in the wheelhouse, and the tracks nobody used.
func (s scene) microphones() (labels []string, ch [][]float64) {
	n := int(s.seconds * rate)
	ine, ode, mar := s.say(ines, s.ines, rate), s.say(odell, s.odell, rate), s.say(marit, s.marit, rate)
	motor := engine(n, 0.02, s.seed, rate)
	boom := hiss(n, 0.004, s.seed+1, 0.5)
	for i, v := range [][]float64{ine, ode, mar} {
		add(boom, v, 0.55, 130+40*i, 0.8)
		add(boom, room(v, 0.22, s.seed+uint64(i)), 1, 0, 1)
	}
	add(boom, motor, 0.5, 0, 1)
	lav := func(own []float64, seed uint64, others ...[]float64) []float64 {
		x := hiss(n, 0.003, seed, 0.7)
		add(x, own, 0.9, 12, 0.92)
		for i, o := range others {
			add(x, o, 0.07, 260+90*i, 0.4) // across the deck: faint and late
		}
		add(x, motor, 0.3, 0, 1)
		return x
	}
	plant := hiss(n, 0.004, s.seed+5, 0.3)
	add(plant, motor, 1.8, 0, 1)
	add(plant, room(ode, 0.2, s.seed+9), 1, 200, 0.5)
	lavInes, lavOdell := lav(ine, s.seed+2, ode, mar), lav(ode, s.seed+3, ine, mar)
	seventh, label := hiss(n, 0.00004, s.seed+7, 0.5), "" // a socket with nothing in it
	if s.marit != nil {
		seventh, label = lav(mar, s.seed+4, ine, ode), "Lav Marit"
	}
	mixL, mixR := make([]float64, n), make([]float64, n)
	for _, v := range [][]float64{boom, lavInes, lavOdell} {
		add(mixL, v, 0.5, 0, 1)
		add(mixR, v, 0.5, 0, 1)
	}
	add(mixL, plant, 0.15, 0, 1)
	add(mixR, plant, 0.3, 0, 1)
	return []string{"MixL", "MixR", "Boom", "Lav Ines", "Lav Odell", "Plant wheelhouse", label, ""},
		[][]float64{mixL, mixR, boom, lavInes, lavOdell, plant, seventh, make([]float64, n)}
}

// location is what the first recorder wrote, accidents included.
func location() []recording {
	poly := func(name, start, sc, tk string, s scene) recording {
		labels, ch := s.microphones()
		return recording{name: name, coding: audio.S24, start: at(start), scene: sc, take: tk, roll: "LF07", labels: labels, channels: ch}
	}
	a := poly("LF07_21A-1.wav", "22:10:05:00", "21A", "1", take1)
	a.noGood, a.note = true, "horn over the line"
	b := poly("LF07_21A-3.wav", "22:10:32:10", "21A", "3", take3)
	b.circled = true
	c := poly("LF07_22-1.wav", "22:11:04:05", "22", "1", pier)
	cut := poly("LF07_22-2.wav", "22:11:31:00", "22", "2", pier.again(115))
	cut.note = "battery"
	cut.keep = 8*3*rate*7 + 1000 // seven seconds of fourteen, and the header says nothing of it
	// Somebody plugged the skipper's microphone in with its polarity turned.
	for i, v := range a.channels[4] {
		a.channels[4][i] = -v
	}
	// A recorder whose clock was never set and that names nothing, the mix on its first two tracks.
	_, ch := take1.microphones()
	for i := range ch {
		ch[i] = ch[i][:7*rate]
	}
	blank := recording{name: "REC0007.wav", coding: audio.S24, start: -1, channels: ch}
	return []recording{a, b, c, cut, blank}
}

// driftPPM is by how much the second recorder's clock runs fast.
const driftPPM = 45

// fast is what a recorder writes whose clock runs that fast: the same sound in more samples, of which it
// keeps as many as there were.
func fast(x []float64) []float64 {
	c, err := resample.NewDrift(rate, rate, -driftPPM)
	if err != nil {
		panic(err) // a constant of this package is wrong
	}
	out := make([]float64, len(x))
	from, to := c.Needs(0, len(out))
	in := make([]float64, to-from)
	copy(in[-from:], x[:min(len(x), int(to))])
	c.Convert(out, in, 0)
	return out
}

// secondRecorder is a set of mono files of take 21A-3 that lost its third member, from a recorder
// whose clock runs 45 parts in a million fast, and a file of another take that got among them.
func secondRecorder() []recording {
	n := int(take3.seconds * rate)
	ine, ode := take3.say(ines, take3.ines, rate), take3.say(odell, take3.odell, rate)
	far := func(gainInes, gainOdell float64, seed uint64) []float64 {
		x := hiss(n, 0.005, seed, 0.4)
		add(x, ine, gainInes, 600, 0.5)
		add(x, ode, gainOdell, 500, 0.5)
		add(x, room(ine, 0.25, seed), 1, 0, 1)
		add(x, engine(n, 0.03, seed, rate), 1, 0, 1)
		return fast(x)
	}
	member := func(i int, label string, ch []float64) recording {
		return recording{
			name: "LFB02_21A-3_" + string(rune('0'+i)) + ".wav", coding: audio.S24, start: at("22:10:32:10"), scene: "21A", take: "3", roll: "LFB02",
			labels: []string{label}, tracks: []int{i}, family: "LFB02-0003", set: [2]int{i, 4}, channels: [][]float64{ch},
		}
	}
	stranger := member(5, "Deck L", far(0.2, 0.3, 215))
	stranger.take, stranger.family, stranger.start, stranger.set = "2", "LFB02-0002", at("22:10:20:00"), [2]int{1, 1}
	return []recording{
		member(1, "Deck L", far(0.4, 0.2, 211)), member(2, "Deck R", far(0.2, 0.4, 212)), member(4, "Rail", far(0.15, 0.15, 214)), stranger,
	}
}

// rest is what did not come from the recorders: narration, score, effects and an ambisonic recording
// of the deck.
func rest() []recording {
	sec := func(s float64) int { return int(s * rate) }
	narration := func(name, label string, v voice, start string, lines []line) recording {
		m := sec(18)
		x := hiss(m, 0.0008, v.seed, 0.6)
		add(x, normalise(v.say(lines, m, rate), 0.6), 1, 0, 1)
		return recording{name: name, coding: audio.S24, start: at(start), scene: "Narration", take: label, roll: "VO1", labels: []string{"VO " + label}, channels: [][]float64{x}}
	}
	score := func(s float64, sides ...int) (ch [][]float64) {
		for _, side := range sides {
			ch = append(ch, fade(chord(sec(s), side, rate), rate/2))
		}
		return ch
	}
	music := recording{name: "LF_1M1_Low Water.wav", coding: audio.S24, start: at("22:10:00:00"), mask: 3, scene: "1M1", take: "Low Water", roll: "MUSIC",
		labels: []string{"Score L", "Score R"}, channels: score(32, -1, 1)}
	five := score(8, -1, 0, 1, -2, 2)
	for i, ch := range five { // soft, but for a hatch that falls shut and a glass that is struck
		for k := range ch {
			ch[k] *= 0.25
		}
		add(ch, slam(rate, 310+uint64(i)), 0.42, 2*rate, 1)
	}
	add(five[1], glass(rate), 1, 6*rate, 1)
	lfe := normalise(engine(sec(8), 0.1, 305, rate), 0.2)
	surround := recording{name: "LF_1M2_Lights Out_51.wav", coding: audio.S24, start: at("22:12:00:00"), mask: 0x3F, scene: "1M2", take: "Lights Out", roll: "MUSIC",
		labels: []string{"Score L", "Score R", "Score C", "Score LFE", "Score Ls", "Score Rs"}, channels: [][]float64{five[0], five[2], five[1], lfe, five[3], five[4]}}

	fxL, fxR := engine(sec(30), 0.12, 306, rate), engine(sec(30), 0.12, 307, rate)
	call := horn(sec(30), 22, 3.5, rate)
	add(fxL, call, 0.5, 0, 1)
	add(fxR, call, 0.4, 190, 1)
	effects := recording{name: "LF_FX_Ferry engine and horn.wav", coding: audio.S24, start: at("22:10:05:00"), mask: 3, scene: "FX", take: "Ferry engine", roll: "FX1",
		labels: []string{"Ferry L", "Ferry R"}, channels: [][]float64{fxL, fxR}}

	// First order, ACN order and SN3D: the engine below and behind, a voice walking round.
	deckN := sec(10)
	w, y, z, x := hiss(deckN, 0.01, 308, 0.2), make([]float64, deckN), make([]float64, deckN), make([]float64, deckN)
	below := engine(deckN, 0.1, 309, rate)
	walk := normalise(marit.say([]line{{1, 4}, {5.5, 4}}, deckN, rate), 0.3)
	for i := range w {
		c, s := turn(float64(i) / rate / 10)
		w[i] += below[i] + walk[i]
		x[i] += -0.6*below[i] + c*walk[i]
		y[i] += s * walk[i]
		z[i] += -0.7 * below[i]
	}
	deck := recording{name: "LF_AMB_Deck.wav", coding: audio.S24, start: at("22:12:20:00"), scene: "AMB", take: "Deck", roll: "AMB1",
		labels: []string{"Amb W", "Amb Y", "Amb Z", "Amb X"}, channels: [][]float64{w, y, z, x}}

	return []recording{
		narration("LF_VO_EN.wav", "EN", english, "22:10:08:00", []line{{0.8, 4.5}, {7, 5}, {13, 4}}),
		narration("LF_VO_PT.wav", "PT", portugal, "22:10:08:00", []line{{0.6, 4.9}, {6.8, 5.4}, {12.8, 4.6}}),
		music, surround, effects, deck,
	}
}

// mixHouse is a finished dialogue stem in 5.1 as mono files, numbered in film order, that say nothing
// of themselves but their names.
func mixHouse() (out []recording) {
	n := 10 * rate
	voices := make([]float64, n)
	for _, v := range [][]float64{pier.say(ines, pier.ines, rate), pier.say(odell, pier.odell, rate), pier.say(marit, pier.marit, rate)} {
		add(voices, v, 0.8, 0, 1)
	}
	for i, speaker := range []string{"L", "C", "R", "Ls", "Rs", "LFE"} {
		x := hiss(n, 0.0004, 320+uint64(i), 0.5)
		switch speaker {
		case "C":
			add(x, voices, 0.7, 0, 1)
		case "LFE":
			clear(x)
		default:
			add(x, room(voices, 0.08, 330+uint64(i)), 1, 0, 1)
		}
		out = append(out, recording{name: "LF_EP2_DX_" + string(rune('1'+i)) + "_" + speaker + ".wav", coding: audio.S24, start: -1, channels: [][]float64{x}})
	}
	return out
}

// scratch is what the camera's own microphones heard of take 21A-3.
func scratch() [][]float64 {
	n := int(take3.seconds * rate)
	camera := hiss(n, 0.02, 301, 0.3)
	add(camera, take3.say(ines, take3.ines, rate), 0.2, 900, 0.25)
	add(camera, take3.say(odell, take3.odell, rate), 0.25, 850, 0.25)
	add(camera, engine(n, 0.05, 302, rate), 1, 0, 1)
	return [][]float64{camera, hiss(n, 0.02, 303, 0.3)}
}

// elsewhere is what the camera heard of something that no recorder was there for.
func elsewhere() [][]float64 {
	n := 12 * rate
	x := hiss(n, 0.03, 340, 0.25)
	add(x, normalise(portugal.say([]line{{0.7, 3.1}, {5.2, 2.4}, {9.0, 2.2}}, n, rate), 0.4), 0.4, 0, 0.3)
	add(x, horn(n, 4, 3, rate), 0.4, 0, 0.5)
	return [][]float64{x}
}

// through is what a second camera heard that ran from before take 21A-1 until after take 22-1.
func through() [][]float64 {
	n := 84 * rate
	x := hiss(n, 0.015, 350, 0.3)
	for _, t := range []struct {
		s     scene
		start string
	}{{take1, "22:10:05:00"}, {take3, "22:10:32:10"}, {pier, "22:11:04:05"}} {
		late := int(at(t.start)-at("22:10:00:00")) + 1100 // it stood some seven metres away
		for _, v := range [][]float64{t.s.say(ines, t.s.ines, rate), t.s.say(odell, t.s.odell, rate), t.s.say(marit, t.s.marit, rate)} {
			add(x, v, 0.22, late, 0.3)
		}
	}
	add(x, engine(n, 0.03, 351, rate), 1, 0, 1)
	return [][]float64{x}
}

// watch is take 23-1: the longest, which both recorders have whole.
var watch = scene{56, nil,
	[]line{{1.1, 3.3}, {7.6, 2.1}, {13.2, 4.0}, {22.5, 2.6}, {29.9, 3.1}, {38.4, 2.2}, {45.0, 4.4}, {52.3, 2.3}},
	[]line{{4.9, 2.2}, {10.4, 2.1}, {18.0, 3.8}, {25.8, 3.2}, {34.1, 3.4}, {41.2, 3.1}, {50.0, 1.9}}, 123}

// longTake is take 23-1 on both recorders: two microphones on the first, one on the second, whose clock
// runs 45 parts in a million fast and which rolled a moment later.
func longTake() []recording {
	n := int(watch.seconds * rate)
	first := func(v voice, lines []line, other voice, others []line, seed uint64) []float64 {
		x := hiss(n, 0.003, seed, 0.6)
		add(x, watch.say(v, lines, rate), 0.8, 12, 0.9)
		add(x, watch.say(other, others, rate), 0.1, 300, 0.4)
		return x
	}
	said := recording{coding: audio.S16, scene: "23", take: "1", start: at("22:13:00:00")}
	a := said
	a.name, a.roll, a.labels = "LF07_23-1.wav", "LF07", []string{"Lav Odell", "Lav Marit"}
	a.channels = [][]float64{first(odell, watch.odell, marit, watch.marit, 361), first(marit, watch.marit, odell, watch.odell, 362)}
	far := hiss(n, 0.004, 363, 0.4)
	add(far, watch.say(odell, watch.odell, rate), 0.35, 500, 0.6)
	add(far, watch.say(marit, watch.marit, rate), 0.35, 500, 0.6)
	b := said
	b.name, b.roll, b.labels, b.channels = "LFB02_23-1.wav", "LFB02", []string{"Deck"}, [][]float64{fast(far)}
	return []recording{a, b}
}
