package resample

// Table is a converter's, and Held how many are in use.
func Table(c *Converter) any { return c.table }

func Held() int {
	tables.Lock()
	defer tables.Unlock()
	return len(tables.of)
}
