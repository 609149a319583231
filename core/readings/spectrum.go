package readings

import (
	"context"
	"math"
	"math/cmplx"

	"gonum.org/v1/gonum/dsp/fourier"

	"zestyloom/core/mix"
	"zestyloom/core/reel"
)

// Spectra are taken of windows of so many samples, that lie over each other by half (Hann).
const (
	spectrumWindow = 8192
	mostSpectrum   = 8 // seconds
)

// Spectrum is how loud a track or a bus is in third parts of octaves, before what is done to it, over [from, to): the middles of
// the bands in Hz, and in dBFS the level of a sine that would be as loud. It takes 8 s at the most.
func Spectrum(ctx context.Context, r reel.Reel, rate int, sources mix.Sources, of string, from, to int64) (hz, db []float64, err error) {
	r, id := r.Before(of)
	p, err := mix.Compile(r, rate, sources)
	if err != nil {
		return nil, nil, err
	}
	pl, err := p.Play(mix.Of(id))
	if err != nil {
		return nil, nil, err
	}
	defer pl.Close()
	fft := fourier.NewFFT(spectrumWindow)
	power := make([]float64, spectrumWindow/2+1)
	window, x := make([]float64, spectrumWindow), make([]float64, spectrumWindow)
	for i := range window {
		window[i] = 0.5 - 0.5*math.Cos(2*math.Pi*(float64(i)+0.5)/spectrumWindow)
	}
	to = min(to, from+int64(mostSpectrum*rate))
	n, channels := 0, 0
	for at := from; at+spectrumWindow <= to; at += spectrumWindow / 2 {
		var whole [][]float64
		for done := 0; done < spectrumWindow; done += mix.BlockFrames {
			blocks, err := pl.Read(ctx, at+int64(done), min(mix.BlockFrames, spectrumWindow-done))
			if err != nil {
				return nil, nil, err
			}
			if whole == nil {
				whole = make([][]float64, len(blocks[0]))
			}
			for c := range blocks[0] {
				whole[c] = append(whole[c], blocks[0][c]...)
			}
		}
		n++
		channels = len(whole)
		for _, ch := range whole {
			for i := range x {
				x[i] = ch[i] * window[i]
			}
			for k, v := range fft.Coefficients(nil, x) {
				a := cmplx.Abs(v)
				power[k] += a * a
			}
		}
	}
	// A sine of amplitude 1 has N²/16 · (1 + 2·1/4) of power in its bins.
	one := spectrumWindow * spectrumWindow / 16.0 * 1.5 * float64(max(1, n*channels))
	for k := -17; k <= 13; k++ {
		f := 1000 * math.Pow(2, float64(k)/3)
		if f*math.Pow(2, 1.0/6) > float64(rate)/2 {
			break
		}
		sum := 0.0
		for i := range power {
			if at := float64(i) * float64(rate) / spectrumWindow; at >= f*math.Pow(2, -1.0/6) && at < f*math.Pow(2, 1.0/6) {
				sum += power[i]
			}
		}
		hz, db = append(hz, f), append(db, 10*math.Log10(max(1e-14, sum/one)))
	}
	return hz, db, nil
}
