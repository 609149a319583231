package line

// Report is what came of a layback: whether what was recorded is what was sent.
type Report struct {
	Version     int          `json:"version"`
	Recording   string       `json:"recording"` // its name on the deck
	Gaps        []Gap        `json:"gaps"`
	Differences []Difference `json:"differences"`
	Compared    int64        `json:"compared"` // samples of each channel
	Held        int64        `json:"held"`     // how often sending had to wait for what is played
	Clipped     int64        `json:"clipped"`  // samples that were beyond full scale
	// Strangers are packets that somebody else sent to the same ports meanwhile: the deck recorded none of them.
	Strangers int64 `json:"strangers,omitempty"`
}

// ReportVersion is that of reports as they are written now.
const ReportVersion = 1

// Whole reports whether all of it arrived, bit for bit.
func (r Report) Whole() bool { return r.Compared > 0 && len(r.Gaps) == 0 && len(r.Differences) == 0 }

// Missing are the frames of gaps, of the channel that has most of them.
func (r Report) Missing() (most int64) {
	of := map[int]int64{}
	for _, g := range r.Gaps {
		of[g.First] += g.To - g.From
		most = max(most, of[g.First])
	}
	return most
}
