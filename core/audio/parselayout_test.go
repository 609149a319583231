package audio_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
)

// Every layout is found again by its name, and each of its channels has a name of its own.
func TestLayoutsByName(t *testing.T) {
	all := audio.Beds()
	for order := range audio.MaxOrder + 1 {
		for _, n := range []audio.Norm{audio.SN3D, audio.N3D, audio.FuMa} {
			l, err := audio.AmbisonicLayout(order, n)
			if n == audio.FuMa && order > audio.MaxFuMa {
				assert.Error(t, err)
				continue
			}
			require.NoError(t, err)
			assert.Equal(t, (order+1)*(order+1), l.Count)
			all = append(all, l)
		}
	}
	for n := 1; n <= audio.MaxChannels; n++ {
		l, err := audio.DiscreteLayout(n)
		require.NoError(t, err)
		all = append(all, l)
	}
	all = append(all, must(t, "custom L R Top@0/90 Floor@12.5/-30 LFE"))
	for _, l := range all {
		again, err := audio.ParseLayout(l.Name)
		require.NoError(t, err)
		assert.Equal(t, l, again)
		names := map[string]bool{}
		for _, n := range l.Channels() {
			names[n] = true
		}
		assert.Len(t, names, l.Count, l.Name)
		if l.Kind == audio.Bed {
			assert.Len(t, l.Speakers, l.Count)
		}
	}
	for _, bad := range []string{"", "6.1", "ambisonic 8 SN3D", "ambisonic 4 FuMa", "ambisonic 1 XYZ", "ambisonic -1 SN3D", "ambisonic x SN3D", "discrete 0", "discrete 65",
		"discrete", "custom", "custom L L", "custom Nowhere", "custom L@200", "custom L@0/91", "custom L  R", "custom L@", "Stereo"} {
		_, err := audio.ParseLayout(bad)
		assert.Error(t, err, bad)
	}
}

func must(t *testing.T, name string) audio.Layout {
	t.Helper()
	l, err := audio.ParseLayout(name)
	require.NoError(t, err)
	return l
}

func TestDirections(t *testing.T) {
	l := must(t, "custom L R Top@0/90 Floor@12.5/-30 LFE R2@-1/0")
	for i, want := range []audio.Direction{{30, 0}, {-30, 0}, {0, 90}, {12.5, -30}, {}, {-1, 0}} {
		d, ok := l.Direction(i)
		assert.Equal(t, want, d)
		assert.Equal(t, i != 4, ok)
	}
	for _, l := range audio.Beds() { // left is to the left, right its mirror
		for i, s := range l.Speakers {
			d, ok := l.Direction(i)
			if ok && s[0] == 'L' {
				k := l.Index("R" + s[1:])
				r, _ := l.Direction(k)
				assert.Positive(t, d.Azimuth, "%s in %s", s, l.Name)
				assert.Equal(t, audio.Direction{Azimuth: -d.Azimuth, Elevation: d.Elevation}, r, "%s in %s", s, l.Name)
			}
		}
	}
	_, ok := must(t, "discrete 2").Direction(0)
	assert.False(t, ok)
}

func TestMatrices(t *testing.T) {
	for _, o := range audio.Orders {
		l := must(t, o.Layout)
		there, ok := audio.Reorder(o.Speakers, l.Speakers)
		require.True(t, ok, o.Name)
		back, ok := audio.Reorder(l.Speakers, o.Speakers)
		require.True(t, ok)
		assert.Equal(t, audio.Unity(l.Count), back.Times(there), "%s of %s", o.Name, l.Name)
		require.NoError(t, there.Check(l.Count, l.Count))
	}
	_, ok := audio.Reorder([]audio.Speaker{"L", "C"}, []audio.Speaker{"L", "R"})
	assert.False(t, ok)
	m := audio.Matrix{{1, 2}, {3, 4}, {5, 6}}
	assert.Equal(t, audio.Matrix{{2, 4}, {6, 8}, {10, 12}}, m.Scaled(2))
	assert.Equal(t, audio.Matrix{{5}, {11}, {17}}, m.Times(audio.Matrix{{1}, {2}}))
	assert.Error(t, m.Check(2, 2))
	assert.Error(t, m.Check(3, 3))
	zero := 0.0
	assert.Error(t, audio.Matrix{{1 / zero}}.Check(1, 1))
	assert.Error(t, audio.Matrix{{zero / zero}}.Check(1, 1))
}

func ExampleParseLayout() {
	for _, name := range []string{"5.1", "ambisonic 1 SN3D", "discrete 3", "custom L R Top@0/90"} {
		l, _ := audio.ParseLayout(name)
		fmt.Println(l.Count, l.Channels())
	}
	// Output:
	// 6 [L R C LFE Ls Rs]
	// 4 [ACN 0 ACN 1 ACN 2 ACN 3]
	// 3 [1 2 3]
	// 3 [L R Top]
}
