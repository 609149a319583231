package cli

import (
	"errors"
	"fmt"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/poly"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/core/wholefile"
)

// labelled is what label says of one file.
type labelled struct {
	Path    string   `json:"path"` // that was written
	From    string   `json:"from"`
	Labels  []string `json:"labels"` // a channel each
	Written bool     `json:"written"`
	poly.FileProof
}

type labelOptions struct {
	sets                     []string
	out                      string
	facts                    map[string]*string // that are given, by their flags
	force, dry, asJSON, many bool
}

func labelCommand() *cobra.Command {
	o := labelOptions{facts: map[string]*string{}}
	cmd := &cobra.Command{
		Use:   "label FILE... --set 3=Boom --out FILE|FOLDER",
		Short: "Write a file anew with other labels and facts, every sample as it was",
		Long: `Write files anew with other labels and facts, every sample as it was.

Several files get the same labels and facts, and are written into the folder --out under the names that they have.`,
		Args: atLeast(1, "at least one file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if o.out == "" {
				return UsageError{errors.New("label: --out is needed: the file to write, or the folder")}
			}
			o.many = len(args) > 1
			taken := claims{}
			return each(cmd, o.asJSON, args, func(path string) (*labelled, error) { return label(cmd, path, o, taken) }, func(_ string, l *labelled) error {
				if o.asJSON {
					return encode(cmd, l)
				}
				done := " (not written)"
				if l.Written {
					done = fmt.Sprintf(": %s of %s, read back and compared", count(len(l.Labels), "channel"), count(l.Frames, "sample"))
				}
				sayf(cmd, "%s%s", shown(l.Path), done)
				for i, label := range l.Labels {
					if label == "" {
						label = "no label"
					}
					sayf(cmd, "  %d  %s", i+1, shown(label))
				}
				saySnags(cmd, l.Snags)
				return nil
			})
		},
	}
	f := cmd.Flags()
	f.StringArrayVar(&o.sets, "set", nil, "a channel and its label, such as 3=Boom; may be given several times")
	f.StringVar(&o.out, "out", "", "file to write; of several files the folder")
	for _, name := range []string{"scene", "take", "roll", "note"} {
		o.facts[name] = f.String(name, "", name)
	}
	f.BoolVar(&o.force, "force", false, "overwrite files that are there")
	f.BoolVar(&o.dry, "dry-run", false, "say what would be written and write nothing")
	f.BoolVar(&o.asJSON, "json", false, "one JSON object a line: what was written of each file")
	return cmd
}

func label(cmd *cobra.Command, path string, opts labelOptions, taken claims) (*labelled, error) {
	src, err := source.Open(path)
	if err != nil {
		return nil, err
	}
	defer src.Close()
	facts := src.Gather(filepath.Base(path))
	o := poly.Out{Path: into(opts.out, path, ".wav", opts.many), Mask: src.Format.Mask}
	for c, t := range facts.Tracks {
		o.Strands = append(o.Strands, poly.Strand{Path: path, Channel: c + 1, Label: t.Label, Track: t.RecorderTrack})
	}
	for _, s := range opts.sets {
		channel, name, ok := strings.Cut(s, "=")
		n, err := strconv.Atoi(channel)
		if !ok || err != nil {
			return nil, UsageError{fmt.Errorf("label: --set %q: expected a channel and its label, such as 3=Boom", s)}
		}
		if n < 1 || n > len(o.Strands) {
			if opts.many { // of these only
				return nil, snag.Refuse("no_such_channel", "--set %q: the file has channels 1 to %d", s, len(o.Strands))
			}
			return nil, UsageError{fmt.Errorf("label: --set %q: the file has channels 1 to %d", s, len(o.Strands))}
		}
		o.Strands[n-1].Label = strings.TrimSpace(name)
	}
	for flag, to := range map[string]*string{"scene": &facts.Scene, "take": &facts.Take, "roll": &facts.Roll, "note": &facts.Note} {
		if cmd.Flags().Changed(flag) {
			*to = *opts.facts[flag]
		}
	}
	if err := taken.add(o.Path, path); err != nil {
		return nil, err
	}
	if same(o.Path, []string{path}) {
		return nil, snag.Refuse("exists", "%s is the original: write to another file", o.Path)
	}
	l := &labelled{Path: o.Path, From: path, Labels: []string{}}
	for _, s := range o.Strands {
		l.Labels = append(l.Labels, s.Label)
	}
	if opts.dry {
		l.Frames, l.Snags = src.Frames, append([]snag.Snag{}, facts.Snags...)
		return l, wholefile.Free(o.Path, opts.force)
	}
	if opts.many {
		if _, err := wholefile.MakeFolder(opts.out); err != nil {
			return nil, err
		}
	}
	l.FileProof, err = writeAndProve(cmd, o, poly.Said{Facts: facts}, poly.WriteOptions{Force: opts.force}, src.Format.SampleRate)
	l.Written = err == nil
	return l, err
}

// writeAndProve writes one file and reads it back. A file that is not what it should be is an error.
func writeAndProve(cmd *cobra.Command, o poly.Out, said poly.Said, opts poly.WriteOptions, sampleRate int) (poly.FileProof, error) {
	sweep(cmd, filepath.Dir(o.Path))
	outs := []poly.Out{o}
	step := func(what string) (func(done, total int64), func()) {
		bar := newProgress(cmd, what+" "+shown(filepath.Base(o.Path)))
		return func(done, total int64) { bar.at(done, total, sampleRate) }, bar.end
	}
	report, end := step("writing")
	_, err := poly.Write(cmd.Context(), outs, said, opts, report)
	end()
	if err != nil {
		return poly.FileProof{}, err
	}
	report, end = step("reading back")
	proofs, err := poly.Prove(cmd.Context(), outs, said, opts, report)
	end()
	if err != nil {
		return poly.FileProof{}, err
	}
	if !proofs[0].OK {
		return proofs[0], snag.Refuse("proof_failed", "%s read back is not what it should be: %s", o.Path, strings.Join(proofs[0].Wrong, "; "))
	}
	return proofs[0], nil
}
