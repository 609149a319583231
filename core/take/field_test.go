package take_test

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/take"
)

// Four mono files whose names are the components of a sound field, or its capsules, are proposed as one recording, and asked about;
// one letter at the end of a name says nothing as long as any of the four is missing, or other.
func TestMonoFilesOfASoundField(t *testing.T) {
	for _, c := range []struct {
		files []take.File
		want  []string
	}{
		{[]take.File{f("AMB_Z.wav"), f("AMB_X.wav"), f("AMB_W.wav"), f("AMB_Y.wav")}, []string{"AMB_W + AMB_X + AMB_Y + AMB_Z ? field_asked"}},
		{[]take.File{f("deck.w.wav", "start=7"), f("deck.x.wav", "start=7"), f("deck.y.wav", "start=7"), f("deck.z.wav", "start=7"), f("deck.q.wav", "start=7")}, []string{"deck.q", "deck.w + deck.x + deck.y + deck.z ? field_asked"}},
		{[]take.File{f("x BLD.wav"), f("x BRU.wav"), f("x FLU.wav"), f("x FRD.wav")}, []string{"x FLU + x FRD + x BLD + x BRU ? field_asked"}},
		{[]take.File{f("x-LBD.wav"), f("x-RBU.wav"), f("x-LFU.wav"), f("x-RFD.wav")}, []string{"x-LFU + x-RFD + x-LBD + x-RBU ? field_asked"}},
		{[]take.File{f("CAM_X.wav"), f("CAM_Y.wav"), f("CAM_Z.wav")}, []string{"CAM_X", "CAM_Y", "CAM_Z"}},
		{[]take.File{f("A_W.wav"), f("A_X.wav"), f("B_Y.wav"), f("B_Z.wav")}, []string{"A_W", "A_X", "B_Y", "B_Z"}},
		{[]take.File{f("A_W.wav", "start=1"), f("A_X.wav", "start=1"), f("A_Y.wav", "start=1"), f("A_Z.wav", "start=2")}, []string{"A_W", "A_X", "A_Y", "A_Z"}},
		{[]take.File{f("A_W.wav"), f("A_X.wav"), f("A_Y.wav"), f("A_Z.wav", "rate=96000")}, []string{"A_W", "A_X", "A_Y", "A_Z"}},
		{[]take.File{f("A_W.wav", "folder=1"), f("A_X.wav", "folder=1"), f("A_Y.wav", "folder=2"), f("A_Z.wav", "folder=2")}, []string{"A_W", "A_X", "A_Y", "A_Z"}},
		{[]take.File{f("W.wav"), f("X.wav"), f("Y.wav"), f("Z.wav")}, []string{"W", "X", "Y", "Z"}},
		{[]take.File{f("A_W.wav", "take=21A/3"), f("A_X.wav", "take=21A/3"), f("A_Z.wav", "take=21A/3"), f("A_Y.wav", "take=21A/3")}, []string{"A_W + A_X + A_Y + A_Z ? field_asked"}},
		{[]take.File{f("A_W.wav", "channels=2"), f("A_X.wav"), f("A_Y.wav"), f("A_Z.wav")}, []string{"A_W", "A_X", "A_Y", "A_Z"}},
	} {
		got := shape(take.Groups(c.files))
		assert.Equal(t, c.want, got)
	}
	g := take.Groups([]take.File{f("AMB_Z.wav"), f("AMB_X.wav"), f("AMB_W.wav"), f("AMB_Y.wav")})[0]
	assert.Equal(t, take.FuMa, g.Field)
	assert.Contains(t, g.Snags[0].Message, "−3 dB")
}

// A plane wave from anywhere, heard by four ideal cardioids on the corners of a cube, comes out as the sound field that it is.
func TestFromAFormat(t *testing.T) {
	m := take.FromAFormat()
	corners := [4][3]float64{{1, 1, 1}, {1, -1, -1}, {-1, 1, -1}, {-1, -1, 1}} // front, left, up
	for az := 0.0; az < 360; az += 17 {
		for el := -90.0; el <= 90; el += 15 {
			a, e := az*math.Pi/180, el*math.Pi/180
			u := [3]float64{math.Cos(a) * math.Cos(e), math.Sin(a) * math.Cos(e), math.Sin(e)}
			var heard [4]float64
			for k, d := range corners {
				heard[k] = (1 + (d[0]*u[0]+d[1]*u[1]+d[2]*u[2])/math.Sqrt(3)) / 2
			}
			want := [4]float64{1, u[1], u[2], u[0]} // W Y Z X in SN3D
			for i := range want {
				got := 0.0
				for k := range heard {
					got += m[i][k] * heard[k]
				}
				require.InDelta(t, want[i], got, 1e-12)
			}
		}
	}
}

func TestReadingsInOtherNorms(t *testing.T) {
	at := func(n int) (out []int) {
		for i := range n {
			out = append(out, i+1)
		}
		return out
	}
	for _, c := range []struct {
		n    int
		norm string
		ok   bool
	}{{4, "", true}, {4, "FuMa", true}, {4, "A-format", true}, {9, "FuMa", true}, {16, "FuMa", true}, {25, "FuMa", false}, {25, "", true}, {9, "A-format", false}, {4, "N3D", false}} {
		err := take.CheckReadings([]take.Reading{{Kind: take.Ambisonic, Positions: at(c.n), Norm: c.norm}}, 64)
		assert.Equal(t, c.ok, err == nil, c)
	}
}
