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
)

func labelCommand() *cobra.Command {
	var sets []string
	var out string
	var scene, takeNo, roll, note *string
	var force, asJSON bool
	cmd := &cobra.Command{
		Use:   "label FILE --set 3=Boom --out FILE",
		Short: "Write a file anew with other labels and facts, every sample as it was",
		Args:  exactly(1, "one file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if out == "" {
				return UsageError{errors.New("label: --out is needed: the file to write")}
			}
			src, err := source.Open(args[0])
			if err != nil {
				return refused(cmd, asJSON, args[0], err)
			}
			defer src.Close()
			facts := src.Gather(filepath.Base(args[0]))
			o := poly.Out{Path: out, Mask: src.Format.Mask}
			for c, t := range facts.Tracks {
				o.Strands = append(o.Strands, poly.Strand{Path: args[0], Channel: c + 1, Label: t.Label, Track: t.RecorderTrack})
			}
			for _, s := range sets {
				channel, label, ok := strings.Cut(s, "=")
				n, err := strconv.Atoi(channel)
				if !ok || err != nil {
					return UsageError{fmt.Errorf("label: --set %q: expected a channel and its label, such as 3=Boom", s)}
				}
				if n < 1 || n > len(o.Strands) {
					return UsageError{fmt.Errorf("label: --set %q: the file has channels 1 to %d", s, len(o.Strands))}
				}
				o.Strands[n-1].Label = strings.TrimSpace(label)
			}
			for flag, v := range map[string]struct{ to, from *string }{"scene": {&facts.Scene, scene}, "take": {&facts.Take, takeNo}, "roll": {&facts.Roll, roll}, "note": {&facts.Note, note}} {
				if cmd.Flags().Changed(flag) {
					*v.to = *v.from
				}
			}
			said := poly.Said{Facts: facts}
			opts := poly.WriteOptions{Force: force}
			proof, err := writeAndProve(cmd, o, said, opts, src.Format.SampleRate)
			if err != nil {
				return refused(cmd, asJSON, out, err)
			}
			if asJSON {
				return encode(cmd, struct {
					Path string `json:"path"`
					poly.FileProof
				}{out, proof})
			}
			sayf(cmd, "%s: %s of %s, read back and compared", shown(out), count(len(o.Strands), "channel"), count(proof.Frames, "sample"))
			for i, s := range o.Strands {
				label := s.Label
				if label == "" {
					label = "no label"
				}
				sayf(cmd, "  %d  %s", i+1, shown(label))
			}
			saySnags(cmd, proof.Snags)
			return nil
		},
	}
	f := cmd.Flags()
	f.StringArrayVar(&sets, "set", nil, "a channel and its label, such as 3=Boom; may be given several times")
	f.StringVar(&out, "out", "", "file to write")
	scene, takeNo = f.String("scene", "", "scene"), f.String("take", "", "take")
	roll, note = f.String("roll", "", "roll"), f.String("note", "", "note")
	f.BoolVar(&force, "force", false, "overwrite a file that is there")
	f.BoolVar(&asJSON, "json", false, "say what was written as one JSON object")
	return cmd
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
