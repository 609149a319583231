// Package timecode converts between sample positions and SMPTE timecode (ST 12-1), exactly.
//
// Rates are rationals and positions are integers: nothing passes through floating point.
// Drop-frame counting leaves out frame numbers 0 and 1 (0 to 3 at 59.94) at the start of every
// minute except each tenth, and is written with a semicolon before the frames.
package timecode

import (
	"fmt"
	"math/bits"
	"strconv"
	"strings"
)

// Rate is a timecode rate: Num/Den frames a second, counted in Base frames a nominal second.
type Rate struct {
	Num  int64 `json:"num"`
	Den  int64 `json:"den"`
	Drop bool  `json:"drop"`
}

// Zero reports whether no rate is known.
func (r Rate) Zero() bool { return r.Num == 0 || r.Den == 0 }

// Base is the number of frames in one counted second: 24 for 24000/1001, 30 for 30000/1001.
func (r Rate) Base() int64 { return (r.Num + r.Den - 1) / r.Den }

// Rational is the rate as a fraction, such as 24000/1001 or 25/1.
func (r Rate) Rational() string { return fmt.Sprintf("%d/%d", r.Num, r.Den) }

// String is the rate as it is spoken: "25", "23.976", "29.97 drop".
func (r Rate) String() string {
	s := strconv.FormatInt(r.Num/max(r.Den, 1), 10)
	if r.Den != 1 {
		s = strings.TrimRight(strconv.FormatFloat(float64(r.Num)/float64(r.Den), 'f', 3, 64), "0")
		if r.Num == 30000 || r.Num == 60000 || r.Num == 48000 {
			s = strconv.FormatFloat(float64(r.Num)/float64(r.Den), 'f', 2, 64)
		}
	}
	if r.Drop {
		s += " drop"
	}
	return s
}

// dropped is how many frame numbers are left out each minute but every tenth.
func (r Rate) dropped() int64 {
	if !r.Drop {
		return 0
	}
	return r.Base() / 15 // 2 at 29.97, 4 at 59.94
}

var named = map[string][2]int64{
	"23.976": {24000, 1001}, "23.98": {24000, 1001}, "23.97": {24000, 1001},
	"24": {24, 1}, "25": {25, 1},
	"29.97": {30000, 1001}, "30": {30, 1},
	"47.95": {48000, 1001}, "47.952": {48000, 1001}, "48": {48, 1}, "50": {50, 1},
	"59.94": {60000, 1001}, "60": {60, 1},
}

// ParseRate reads "24000/1001", "25/1", "25", "23.976", "29.97", "29.97 drop", "29.97df" and the
// recorder's form "025.000-ND". Only the rates timecode is counted in are accepted.
func ParseRate(s string) (Rate, error) {
	bad := func() (Rate, error) {
		return Rate{}, fmt.Errorf("timecode rate %q: expected one such as 24000/1001, 25 or 29.97 drop", s)
	}
	t := strings.ToLower(strings.TrimSpace(s))
	drop := false
	for _, suffix := range []string{"-ndf", "-nd", "ndf", " non-drop", "-df", "-d", "df", " drop"} {
		if cut, ok := strings.CutSuffix(t, suffix); ok {
			t, drop = strings.TrimSpace(cut), !strings.Contains(suffix, "n")
			break
		}
	}
	r := Rate{Drop: drop}
	if num, den, ok := strings.Cut(t, "/"); ok {
		n, err1 := strconv.ParseInt(strings.TrimSpace(num), 10, 32)
		d, err2 := strconv.ParseInt(strings.TrimSpace(den), 10, 32)
		if err1 != nil || err2 != nil || n <= 0 || d <= 0 {
			return bad()
		}
		g := gcd(n, d)
		r.Num, r.Den = n/g, d/g
	} else {
		t = strings.TrimLeft(t, "0")
		if strings.Contains(t, ".") {
			t = strings.TrimSuffix(strings.TrimRight(t, "0"), ".")
		}
		v, ok := named[t]
		if !ok {
			return bad()
		}
		r.Num, r.Den = v[0], v[1]
	}
	known := false
	for _, v := range named {
		known = known || v == [2]int64{r.Num, r.Den}
	}
	if !known {
		return bad()
	}
	if drop && !(r.Den == 1001 && (r.Num == 30000 || r.Num == 60000)) {
		return Rate{}, fmt.Errorf("timecode rate %q: drop-frame exists at 29.97 and 59.94 only", s)
	}
	return r, nil
}

func gcd(a, b int64) int64 {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}

// mulDiv is a*b/c for non-negative values, rounded down, through 128 bits.
func mulDiv(a, b, c int64) int64 {
	hi, lo := bits.Mul64(uint64(a), uint64(b))
	q, _ := bits.Div64(hi%uint64(c), lo, uint64(c))
	return int64(q)
}

// FrameAt is the number of whole frames since midnight at a sample position.
func (r Rate) FrameAt(samples, sampleRate int64) int64 {
	return mulDiv(samples, r.Num, sampleRate*r.Den)
}

// SampleAt is the first sample that lies in the given frame: the frame's start, rounded up.
func (r Rate) SampleAt(frame, sampleRate int64) int64 {
	at := mulDiv(frame, sampleRate*r.Den, r.Num)
	if r.FrameAt(at, sampleRate) < frame {
		at++
	}
	return at
}

// DayFrames is the number of frame numbers in a day of timecode.
func (r Rate) DayFrames() int64 {
	perTenMinutes := r.Base()*600 - 9*r.dropped()
	return perTenMinutes * 6 * 24
}

// DaySamples is how many samples of a rate in Hz a day of the timecode has.
func (r Rate) DaySamples(sampleRate int) int64 { return r.SampleAt(r.DayFrames(), int64(sampleRate)) }

// ShorterWay is a distance on a clock that wraps after day, the shorter way round: from -day/2 to day/2.
func ShorterWay(d, day int64) int64 {
	switch d %= day; {
	case d > day/2:
		return d - day
	case d < -day/2:
		return d + day
	}
	return d
}

// Format writes a frame count since midnight as timecode. A day wraps.
func (r Rate) Format(frame int64) string {
	day := r.DayFrames()
	frame = ((frame % day) + day) % day
	sep := byte(':')
	if d := r.dropped(); d > 0 {
		sep = ';'
		perMinute, perTen := r.Base()*60-d, r.Base()*600-9*d
		tens, rest := frame/perTen, frame%perTen
		frame += 9 * d * tens
		if rest >= r.Base()*60 {
			frame += d * ((rest-r.Base()*60)/perMinute + 1)
		}
	}
	b := r.Base()
	f, s := frame%b, frame/b
	return fmt.Sprintf("%02d:%02d:%02d%c%02d", s/3600, s/60%60, s%60, sep, f)
}

// FormatSamples is the timecode of a sample position since midnight.
func (r Rate) FormatSamples(samples, sampleRate int64) string {
	return r.Format(r.FrameAt(samples, sampleRate))
}

// Parse reads timecode into a frame count since midnight. Any of : ; . , may separate the frames;
// a frame number that drop-frame counting leaves out is refused.
func (r Rate) Parse(s string) (int64, error) {
	parts := strings.FieldsFunc(strings.TrimSpace(s), func(c rune) bool { return strings.ContainsRune(":;.,", c) })
	bad := fmt.Errorf("timecode %q: expected hh:mm:ss:ff", s)
	if len(parts) != 4 {
		return 0, bad
	}
	var v [4]int64
	for i, p := range parts {
		n, err := strconv.ParseUint(p, 10, 16)
		if err != nil || len(p) > 2 {
			return 0, bad
		}
		v[i] = int64(n)
	}
	if v[0] > 23 || v[1] > 59 || v[2] > 59 || v[3] >= r.Base() {
		return 0, fmt.Errorf("timecode %q: hours go to 23, minutes and seconds to 59, frames to %d at %s", s, r.Base()-1, r)
	}
	frame := ((v[0]*60+v[1])*60+v[2])*r.Base() + v[3]
	if d := r.dropped(); d > 0 {
		if v[3] < d && v[2] == 0 && v[1]%10 != 0 {
			return 0, fmt.Errorf("timecode %q: drop-frame counting leaves this number out; the next is frame %02d", s, d)
		}
		minutes := v[0]*60 + v[1]
		frame -= d * (minutes - minutes/10)
	}
	return frame, nil
}
