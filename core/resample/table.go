package resample

import (
	"math"
	"runtime"
	"sync"
	"weak"
)

// filter says which filter a table is of.
type filter struct {
	stretch float64 // at least 1
	phases  int64
}

// table is a filter's response at evenly spaced places between two input samples. It is never changed.
type table struct {
	half   int64     // input samples on either side of a moment that count
	phases int64     // rows, and one more: the first of the next sample
	taps   int       // columns
	rows   []float64 // row by row
}

// tables are shared by all that convert in the same way, for as long as somebody does.
var tables struct {
	sync.Mutex
	of map[filter]weak.Pointer[table]
}

func tableOf(f filter) *table {
	tables.Lock()
	defer tables.Unlock()
	if t := tables.of[f].Value(); t != nil {
		return t
	}
	t := newTable(f)
	if tables.of == nil {
		tables.of = map[filter]weak.Pointer[table]{}
	}
	tables.of[f] = weak.Make(t)
	runtime.AddCleanup(t, forget, f)
	return t
}

// forget takes away what leads to a table that is there no more.
func forget(f filter) {
	tables.Lock()
	defer tables.Unlock()
	if tables.of[f].Value() == nil {
		delete(tables.of, f)
	}
}

func newTable(f filter) *table {
	t := &table{half: int64(math.Ceil(transient * f.stretch)), phases: f.phases}
	t.taps = int(2 * t.half)
	cutoff := (passEdge + stopEdge) / f.stretch // in half cycles an input sample
	reach := float64(t.half)
	t.rows = make([]float64, (t.phases+1)*int64(t.taps))
	for p := range t.phases + 1 {
		row := t.row(p)
		sum := 0.0
		for i := range row {
			// Tap i weighs the input sample at floor(moment)+i+1-half.
			x := float64(int64(i)+1-t.half) - float64(p)/float64(t.phases)
			if math.Abs(x) < reach {
				row[i] = cutoff * sinc(cutoff*x) * kaiser(x/reach)
				sum += row[i]
			}
		}
		for i := range row {
			row[i] /= sum // a constant stays exactly what it was
		}
	}
	return t
}

func (t *table) row(p int64) []float64 {
	return t.rows[p*int64(t.taps) : (p+1)*int64(t.taps)]
}
