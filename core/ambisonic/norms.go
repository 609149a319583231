package ambisonic

import (
	"fmt"
	"math"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// fumaOrder are the ACN channels of W X Y Z R S T U V K L M N O P Q.
var fumaOrder = [16]int{0, 3, 1, 2, 6, 7, 5, 8, 4, 12, 13, 11, 14, 10, 15, 9}

// fumaFactor is what an SN3D component is multiplied by to be FuMa's, by ACN channel: maxN, with W at -3 dB (Malham 2003).
var fumaFactor = [16]float64{
	math.Sqrt2 / 2, 1, 1, 1,
	2 / math.Sqrt(3), 2 / math.Sqrt(3), 1, 2 / math.Sqrt(3), 2 / math.Sqrt(3),
	math.Sqrt(8.0 / 5), 3 / math.Sqrt(5), math.Sqrt(45.0 / 32), 1, math.Sqrt(45.0 / 32), 3 / math.Sqrt(5), math.Sqrt(8.0 / 5),
}

// component is the ACN channel that channel i of a norm has, and its factor against N3D.
func component(norm audio.Norm, i int) (acn int, factor float64) {
	switch norm {
	case audio.N3D:
		return i, 1
	case audio.FuMa:
		n := fumaOrder[i]
		return n, fumaFactor[n] / math.Sqrt(float64(2*degree(n)+1))
	}
	return i, 1 / math.Sqrt(float64(2*degree(i)+1))
}

// Convert is the matrix from one ambisonic layout into another: other norms, other orders of channels, a lower or a higher
// order. lost says in words what of the sound field is not in it any more, empty for nothing.
func Convert(from, to audio.Layout) (m audio.Matrix, lost string, err error) {
	if from.Kind != audio.Ambisonic || to.Kind != audio.Ambisonic {
		return nil, "", snag.Refuse("bad_patch", "%s can't be converted into %s: both have to be ambisonic", from.Name, to.Name)
	}
	at := make(map[int]int, from.Count) // channels of from, by ACN
	for i := range from.Count {
		n, _ := component(from.Norm, i)
		at[n] = i
	}
	m = audio.NewMatrix(to.Count, from.Count)
	for i := range m {
		n, f := component(to.Norm, i)
		if k, ok := at[n]; ok {
			_, was := component(from.Norm, k)
			if m[i][k] = f / was; math.Abs(m[i][k]-1) < 1e-15 {
				m[i][k] = 1 // what is only moved stays as it is, bit for bit
			}
		}
	}
	if to.Order < from.Order {
		lost = fmt.Sprintf("orders %d to %d are left out: directions are less sharp, by %d channels", to.Order+1, from.Order, from.Count-to.Count)
		if from.Order == to.Order+1 {
			lost = fmt.Sprintf("order %d is left out: directions are less sharp, by %d channels", from.Order, from.Count-to.Count)
		}
	}
	return m, lost, nil
}

// ACN is the number of the component that channel i of an ambisonic layout carries: l² + l + m, of order l and degree m.
func ACN(l audio.Layout, i int) int {
	n, _ := component(l.Norm, i)
	return n
}

// OrderOf is the order of the component that channel i of an ambisonic layout carries.
func OrderOf(l audio.Layout, i int) int { return degree(ACN(l, i)) }

// Scale is what channel i of an ambisonic layout is multiplied by against N3D.
func Scale(l audio.Layout, i int) float64 {
	_, f := component(l.Norm, i)
	return f
}
