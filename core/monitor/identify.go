package monitor

import "zestyloom/core/tone"

// Identify names outputs in turn, an input each: a tone at line-up level, and pips that count the output's number. It goes
// round several times.
func Identify(outputs, rate int) ([]Input, Fold, error) {
	s := tone.Signal{Rate: rate, Channels: outputs, Hz: 1000, LevelDB: tone.EBU, Identify: true}
	f := Fold{Matrix: make([][2]float64, outputs), Says: "each output in its turn, on both sides at 0 dB"}
	if err := s.Check(); err != nil {
		return nil, f, err
	}
	inputs := make([]Input, outputs)
	for c := range inputs {
		f.Matrix[c] = [2]float64{1, 1}
		inputs[c] = Input{Open: func(rate int) (Sound, error) {
			own := s
			own.Rate = rate
			return pips{own, c}, nil
		}}
	}
	return inputs, f, nil
}

const identifyRounds = 5

// pips is one channel of an identification.
type pips struct {
	tone.Signal
	channel int
}

func (p pips) Frames() int64 { return identifyRounds * p.Signal.Frames() }

func (p pips) Read(dst []float64, frame int64) error {
	p.Channel(dst, p.channel, frame)
	return nil
}

func (p pips) Close() {}
