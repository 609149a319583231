package ambisonic

import (
	"math"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// Turn is a rotation of a sound field, in degrees: first Roll, by which the left goes up, then Pitch, by which the front goes up,
// then Yaw, by which the front goes to the left.
type Turn struct {
	Yaw   float64 `json:"yaw,omitempty"`
	Pitch float64 `json:"pitch,omitempty"`
	Roll  float64 `json:"roll,omitempty"`
}

// Check refuses angles that can't be.
func (t Turn) Check() error {
	for _, v := range []float64{t.Yaw, t.Pitch, t.Roll} {
		if !(v >= -360 && v <= 360) {
			return snag.Refuse("bad_patch", "a sound field can't be turned by %g°: -360 to 360 can be", v)
		}
	}
	return nil
}

// matrix is the rotation of directions, by rows x, y, z.
func (t Turn) matrix() [3][3]float64 {
	sy, cy := math.Sincos(t.Yaw * math.Pi / 180)
	sp, cp := math.Sincos(t.Pitch * math.Pi / 180)
	sr, cr := math.Sincos(t.Roll * math.Pi / 180)
	return [3][3]float64{
		{cy * cp, -cy*sp*sr - sy*cr, -cy*sp*cr + sy*sr},
		{sy * cp, -sy*sp*sr + cy*cr, -sy*sp*cr - cy*sr},
		{sp, cp * sr, cp * cr},
	}
}

// Rotate is the matrix that turns a sound field of a layout, by the recursion of Ivanic and Ruedenberg (1996, with the
// corrections of 1998).
func Rotate(l audio.Layout, t Turn) (audio.Matrix, error) {
	if l.Kind != audio.Ambisonic {
		return nil, snag.Refuse("bad_patch", "%s can't be turned: only a sound field can", l.Name)
	}
	r := t.matrix()
	// Components of the first order are y, z, x.
	axes := [3]int{1, 2, 0}
	one := make([][]float64, 3)
	for i, a := range axes {
		one[i] = make([]float64, 3)
		for k, b := range axes {
			one[i][k] = r[a][b]
		}
	}
	blocks := [][][]float64{{{1}}, one}
	for d := 2; d <= l.Order; d++ {
		blocks = append(blocks, higher(d, one, blocks[d-1]))
	}
	m := audio.NewMatrix(l.Count, l.Count)
	for i := range m {
		n, f := component(l.Norm, i)
		d := degree(n)
		for k := range m[i] {
			o, g := component(l.Norm, k)
			if degree(o) == d {
				m[i][k] = f / g * blocks[d][n-d*d][o-d*d]
			}
		}
	}
	return m, nil
}

// higher is the rotation of the components of an order, from those of the first and of the one below.
func higher(l int, one, below [][]float64) [][]float64 {
	// Of both, indices are orders m of components, from -l to l.
	r := func(i, k int) float64 { return one[i+1][k+1] }
	prev := func(a, b int) float64 { return below[a+l-1][b+l-1] }
	p := func(i, a, b int) float64 {
		switch b {
		case -l:
			return r(i, 1)*prev(a, -l+1) + r(i, -1)*prev(a, l-1)
		case l:
			return r(i, 1)*prev(a, l-1) - r(i, -1)*prev(a, -l+1)
		}
		return r(i, 0) * prev(a, b)
	}
	is := func(yes bool) float64 {
		if yes {
			return 1
		}
		return 0
	}
	out := make([][]float64, 2*l+1)
	for m := -l; m <= l; m++ {
		row := make([]float64, 2*l+1)
		am := m
		if am < 0 {
			am = -am
		}
		for n := -l; n <= l; n++ {
			d := float64((l + n) * (l - n))
			if n == l || n == -l {
				d = float64(2 * l * (2*l - 1))
			}
			sum := 0.0
			if u := math.Sqrt(float64((l+m)*(l-m)) / d); u != 0 {
				sum += u * p(0, m, n)
			}
			if v := math.Sqrt((1+is(m == 0))*float64((l+am-1)*(l+am))/d) * (1 - 2*is(m == 0)) / 2; v != 0 {
				switch {
				case m == 0:
					sum += v * (p(1, 1, n) + p(-1, -1, n))
				case m == 1:
					sum += v * p(1, 0, n) * math.Sqrt2
				case m > 0:
					sum += v * (p(1, m-1, n) - p(-1, -m+1, n))
				case m == -1:
					sum += v * p(-1, 0, n) * math.Sqrt2
				default:
					sum += v * (p(1, m+1, n) + p(-1, -m-1, n))
				}
			}
			if w := -math.Sqrt(float64((l-am-1)*(l-am))/d) / 2; m != 0 && w != 0 {
				if m > 0 {
					sum += w * (p(1, m+1, n) + p(-1, -m-1, n))
				} else {
					sum += w * (p(1, m-1, n) - p(-1, -m+1, n))
				}
			}
			row[n+l] = sum
		}
		out[m+l] = row
	}
	return out
}

// Mirror says which way a sound field is mirrored.
type Mirror string

// The mirrors.
const (
	LeftRight Mirror = "left-right"
	FrontBack Mirror = "front-back"
	UpDown    Mirror = "up-down"
)

// Mirrored is the matrix that mirrors a sound field of a layout: it turns the polarity of components over, and nothing else.
func Mirrored(l audio.Layout, which Mirror) (audio.Matrix, error) {
	if l.Kind != audio.Ambisonic {
		return nil, snag.Refuse("bad_patch", "%s can't be mirrored: only a sound field can", l.Name)
	}
	m := audio.Unity(l.Count)
	for i := range m {
		n, _ := component(l.Norm, i)
		d := degree(n)
		o := n - d*d - d
		odd := false
		switch which {
		case LeftRight:
			odd = o < 0
		case FrontBack:
			odd = o < 0 && o%2 == 0 || o > 0 && o%2 != 0
		case UpDown:
			odd = (d+o)%2 != 0
		default:
			return nil, snag.Refuse("bad_patch", "a sound field is mirrored left-right, front-back or up-down, not %q", which)
		}
		if odd {
			m[i][i] = -1
		}
	}
	return m, nil
}
