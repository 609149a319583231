package weave

import (
	"strconv"
	"strings"

	"zestyloom/core/audio"
	"zestyloom/core/snag"
)

// ParseMatrix reads a matrix as a spreadsheet gives it: a line for each channel that is made, a cell for each that it is
// made of, apart by tabs, semicolons or commas. A cell is a factor (0.5, -1), a level (-3 dB), or empty for nothing. A
// first line and a first column of names are passed over. from is how many cells a line must have, 0 for any.
func ParseMatrix(text string, from int) (audio.Matrix, error) {
	var rows [][]string
	for line := range strings.Lines(text) {
		if line = strings.TrimRight(line, "\r\n"); strings.TrimSpace(line) == "" {
			continue
		}
		by := ","
		for _, s := range []string{"\t", ";"} {
			if strings.Contains(line, s) {
				by = s
				break
			}
		}
		var row []string
		for _, c := range strings.Split(line, by) {
			c = strings.Trim(strings.TrimSpace(c), `"`)
			if by != "," {
				c = strings.Replace(c, ",", ".", 1) // a decimal comma
			}
			row = append(row, c)
		}
		rows = append(rows, row)
	}
	if len(rows) > 0 && named(rows[0]) {
		rows = rows[1:]
	}
	if len(rows) == 0 {
		return nil, snag.Refuse("bad_patch", "there are no levels in the matrix: a line for each channel that is made is expected")
	}
	first := 0
	if _, err := parseCell(rows[0][0]); err != nil && len(rows[0]) > 1 {
		first = 1
	}
	if from == 0 {
		from = len(rows[0]) - first
	}
	m := audio.NewMatrix(len(rows), from)
	for i, row := range rows {
		if len(row)-first != from {
			return nil, snag.Refuse("bad_patch", "line %d of the matrix has %d levels, and there are %d channels", i+1, len(row)-first, from)
		}
		for j, c := range row[first:] {
			f, err := parseCell(c)
			if err != nil {
				return nil, snag.Refuse("bad_patch", "line %d of the matrix, column %d: %q is neither a factor such as 0.5 nor a level such as -3 dB", i+1, j+1, c)
			}
			m[i][j] = f
		}
	}
	return m, nil
}

// named reports whether a line has names and no levels.
func named(row []string) bool {
	for _, c := range row {
		if _, err := parseCell(c); err == nil && c != "" {
			return false
		}
	}
	return true
}

func parseCell(c string) (float64, error) {
	c = strings.ReplaceAll(c, "−", "-")
	level, isLevel := strings.CutSuffix(strings.ToLower(c), "db")
	if isLevel {
		c = strings.TrimSpace(level)
	}
	if c == "" && !isLevel {
		return 0, nil
	}
	v, err := strconv.ParseFloat(c, 64)
	if err != nil {
		return 0, err
	}
	if isLevel {
		if v > MaxGain {
			return 0, strconv.ErrRange
		}
		return Factor(v), nil
	}
	if !(v >= -100 && v <= 100) {
		return 0, strconv.ErrRange
	}
	return v, nil
}
