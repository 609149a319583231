package mix

// Opened is how many times a player has opened a file, and Open how many are open.
func Opened(pl *Player) int { return pl.pool.opened }
func Open(pl *Player) int   { return len(pl.pool.files) }

// Factor is a moving gain as a factor.
func Factor(db float64) float64 { return factor(db) }
