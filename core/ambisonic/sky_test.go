package ambisonic_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/ambisonic"
	"zestyloom/core/audio"
)

// wave is a sine as a plane wave from a direction.
func wave(l audio.Layout, azimuth, elevation, level, hz float64) audio.Block {
	b := audio.NewBlock(l.Count, 4800)
	y := ambisonic.Encode(l, azimuth, elevation, 0)
	for c := range b {
		for i := range b[c] {
			b[c][i] = y[c] * level * math.Sin(2*math.Pi*hz*float64(i)/48000)
		}
	}
	return b
}

func loudest(v []float64) (at int) {
	for i := range v {
		if v[i] > v[at] {
			at = i
		}
	}
	return at
}

// A plane wave reads its own level where it comes from, in every norm and order, and less everywhere else.
func TestASkyShowsWhereItComesFrom(t *testing.T) {
	for _, name := range []string{"ambisonic 1 SN3D", "ambisonic 1 FuMa", "ambisonic 2 N3D", "ambisonic 3 SN3D", "ambisonic 7 SN3D"} {
		l, err := audio.ParseLayout(name)
		require.NoError(t, err)
		m := ambisonic.NewSkyMeter(l)
		for _, at := range []audio.Direction{{Azimuth: 0}, {Azimuth: 90}, {Azimuth: -120, Elevation: 30}, {Azimuth: 180, Elevation: -60}} {
			m.Add(wave(l, at.Azimuth, at.Elevation, 0.1, 1000))
			s := m.Sky()
			require.Len(t, s.Azimuths, 36)
			k := loudest(s.Azimuths)
			assert.InDelta(t, at.Azimuth, float64(ambisonic.SkyStep-180+k*ambisonic.SkyStep), 1e-9, "%s from %v", name, at)
			assert.InDelta(t, -20, s.Azimuths[k], 0.01, "%s from %v", name, at)
			assert.InDelta(t, at.Elevation, ambisonic.SkyHeights[loudest(s.Heights)], 1e-9, "%s from %v", name, at)
			behind := s.Azimuths[(k+18)%36]
			limit := -24.0
			if math.Abs(at.Elevation) > 45 { // nearly below, what is opposite lies near
				limit = -22
			}
			assert.Less(t, behind, limit, "%s from %v", name, at)
		}
		// Two at once are both there; and what was before is not any more.
		m.Add(wave(l, 90, 0, 0.1, 1000))
		m.Add(wave(l, -90, 0, 0.1, 1000))
		s := m.Sky()
		assert.InDelta(t, s.Azimuths[26], s.Azimuths[8], 0.01) // 90° and -90°
		assert.Greater(t, s.Azimuths[26], s.Azimuths[17])      // more than ahead
		assert.Equal(t, math.Inf(-1), m.Sky().Azimuths[0])
	}
}
