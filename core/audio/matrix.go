package audio

import "fmt"

// Matrix says by which factors the channels of one signal enter those of another: a row for each channel that is
// made, a column for each that it is made of. It is never changed once it is made.
type Matrix [][]float64

// NewMatrix makes so many channels of nothing out of others.
func NewMatrix(to, from int) Matrix {
	m := make(Matrix, to)
	for i := range m {
		m[i] = make([]float64, from)
	}
	return m
}

// Unity takes n channels over as they are.
func Unity(n int) Matrix {
	m := NewMatrix(n, n)
	for i := range m {
		m[i][i] = 1
	}
	return m
}

// Check refuses a matrix that has not the given size, or holds what is no number.
func (m Matrix) Check(to, from int) error {
	if len(m) != to {
		return fmt.Errorf("a matrix of %d rows for %d channels", len(m), to)
	}
	for i, row := range m {
		if len(row) != from {
			return fmt.Errorf("row %d of a matrix has %d factors for %d channels", i+1, len(row), from)
		}
		for _, f := range row {
			if f-f != 0 {
				return fmt.Errorf("row %d of a matrix holds a factor that is no number", i+1)
			}
		}
	}
	return nil
}

// Times is what comes out of m after n: m·n.
func (m Matrix) Times(n Matrix) Matrix {
	out := make(Matrix, len(m))
	for i, row := range m {
		width := 0
		if len(n) > 0 {
			width = len(n[0])
		}
		out[i] = make([]float64, width)
		for k, f := range row {
			if f == 0 {
				continue // nothing times an infinity is nothing here
			}
			for j, g := range n[k] {
				out[i][j] += float64(f * g)
			}
		}
	}
	return out
}

// Scaled is m with every factor multiplied.
func (m Matrix) Scaled(by float64) Matrix {
	out := make(Matrix, len(m))
	for i, row := range m {
		out[i] = make([]float64, len(row))
		for j, f := range row {
			out[i][j] = f * by
		}
	}
	return out
}

// Reorder takes the channels of a signal in the order of from over into the order of to, by speaker. It reports whether
// both hold the same speakers.
func Reorder(to, from []Speaker) (Matrix, bool) {
	m := make(Matrix, len(to))
	for i, s := range to {
		m[i] = make([]float64, len(from))
		found := 0
		for j, o := range from {
			if o == s {
				m[i][j] = 1
				found++
			}
		}
		if found != 1 {
			return nil, false
		}
	}
	return m, len(to) == len(from)
}
