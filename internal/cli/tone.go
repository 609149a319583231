package cli

import (
	"context"
	"errors"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/audio"
	"zestyloom/core/tone"
	"zestyloom/core/wave"
	"zestyloom/core/wholefile"
)

func toneCommand() *cobra.Command {
	var layout, out, coding string
	var level, hz, seconds float64
	var rate int
	var force, dry, asJSON bool
	cmd := &cobra.Command{
		Use:   "tone --layout LAYOUT --out FOLDER",
		Short: "Write a tone at line-up level, and a file that names each channel in turn",
		Long: `Write two files for a layout: the tone at line-up level on every channel, and an identification, in which each channel
sounds in turn: the tone, and then pips that count its number, a long one for each ten.`,
		Args: exactly(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			l, err := layoutCalled(layout)
			if err != nil {
				return UsageError{err}
			}
			c, err := audio.ParseCoding(coding)
			if err != nil {
				return UsageError{err}
			}
			switch {
			case out == "":
				return UsageError{errors.New("tone: --out is needed: the folder to write to")}
			case !(seconds > 0 && seconds <= 24*3600):
				return UsageError{errors.New("tone: --seconds is more than 0, and a day at the most")}
			}
			s := tone.Signal{Rate: rate, Channels: l.Count, Hz: hz, LevelDB: level}
			if err := s.Check(); err != nil {
				return UsageError{err}
			}
			if !dry {
				if _, err := wholefile.MakeFolder(out); err != nil {
					return refused(cmd, asJSON, out, err)
				}
			}
			type made struct {
				Path   string `json:"path"`
				What   string `json:"what"`
				Layout string `json:"layout"`
				Frames int64  `json:"frames"`
			}
			name := strings.NewReplacer(" ", "_", "/", "_", "@", "_").Replace(l.Name)
			for _, v := range []made{{filepath.Join(out, "lineup_"+name+".wav"), "line-up", l.Name, int64(seconds * float64(rate))}, {filepath.Join(out, "identify_"+name+".wav"), "identification", l.Name, s.Frames()}} {
				s.Identify = v.What == "identification"
				err := wholefile.Free(v.Path, force)
				if err == nil && !dry {
					err = writeTone(cmd.Context(), v.Path, s, l, c, v.Frames, force)
				}
				if err != nil {
					return refused(cmd, asJSON, v.Path, err)
				}
				if asJSON {
					if err := encode(cmd, v); err != nil {
						return err
					}
					continue
				}
				sayf(cmd, "%s: %s, %.1f s -> %s%s", v.What, v.Layout, float64(v.Frames)/float64(rate), shown(v.Path), wouldSay(dry))
			}
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&layout, "layout", "stereo", "layout of the files, such as 5.1, 7.1.4 or discrete 8")
	f.StringVar(&out, "out", "", "folder to write to")
	f.Float64Var(&level, "level", tone.EBU, "level in dBFS: -18 (EBU) or -20 (SMPTE)")
	f.Float64Var(&hz, "hz", 1000, "frequency of the tone")
	f.Float64Var(&seconds, "seconds", 30, "how long the line-up tone is")
	f.IntVar(&rate, "rate", 48000, "sample rate in Hz")
	f.StringVar(&coding, "coding", "s24", "coding of the samples")
	f.BoolVar(&force, "force", false, "overwrite files that are there")
	f.BoolVar(&dry, "dry-run", false, "say what would be written and write nothing")
	f.BoolVar(&asJSON, "json", false, "one JSON object a line")
	return cmd
}

func writeTone(ctx context.Context, path string, s tone.Signal, l audio.Layout, c audio.Coding, frames int64, force bool) error {
	file, err := wholefile.Create(path, force)
	if err != nil {
		return err
	}
	defer file.Abort()
	x := wave.NewIXML()
	var tracks []wave.IXMLTrack
	for i, name := range l.Channels() {
		tracks = append(tracks, wave.IXMLTrack{Recorder: i + 1, Interleave: i + 1, Name: name})
	}
	x.SetTracks(tracks)
	w, err := wave.NewWriter(file, wave.Options{Format: wave.Format{Coding: c, SampleRate: s.Rate, Channels: l.Count, Mask: l.Mask}, IXML: x})
	if err != nil {
		return err
	}
	const block = 1 << 14
	room := audio.NewBlock(l.Count, block)
	enc := audio.Encoder{Coding: c, Seed: 1}
	var raw []byte
	for at := int64(0); at < frames; at += block {
		if err := ctx.Err(); err != nil {
			return err
		}
		b := make(audio.Block, l.Count)
		for i := range b {
			b[i] = room[i][:min(block, frames-at)]
		}
		s.Read(b, at)
		raw = enc.Encode(raw[:0], b, at)
		if _, err := w.Write(raw); err != nil {
			return err
		}
	}
	if err := w.Close(); err != nil {
		return err
	}
	return file.Commit()
}
