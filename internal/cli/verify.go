package cli

import (
	"errors"
	"os"
	"strconv"

	"github.com/spf13/cobra"

	"zestyloom/core/delivery"
	"zestyloom/core/timecode"
)

func verifyCommand() *cobra.Command {
	var spec, packing, rate, key string
	var asJSON bool
	cmd := &cobra.Command{
		Use:   "verify FILE|FOLDER... --spec SPEC.json",
		Short: "Hold finished files, anybody's, against a delivery specification, or against their signed proof",
		Long: `Hold finished files, anybody's, against a delivery specification: which files there are and what they are named, their
container, coding, rate and channels, one start and one length for all, streams and their order, names of channels where
they are said, tones and pops, loudness and peaks, the hash list beside them.

With --key, the public key of the installation that made them (it gives it at /api/key), against the signed proof that came
with them (*.proof): that the key signed it, and that every file it names has the length and the hash that it says.

Exit status 0 when everything is as it is asked for, 3 when something is not.`,
		Args: atLeast(1, "at least one file or folder"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if spec == "" && key == "" {
				return UsageError{errors.New("verify: --spec or --key is needed")}
			}
			if key != "" {
				held, err := holdSigned(cmd, args, key, asJSON)
				if err != nil {
					return refused(cmd, asJSON, args[0], err)
				}
				if !held {
					return Unmet{}
				}
				if spec == "" {
					return nil
				}
			}
			o := delivery.Checking{Packing: packing}
			var err error
			if o.Spec, err = specNamed(spec); err != nil {
				return refused(cmd, asJSON, spec, err)
			}
			if rate != "" {
				if o.Rate, err = timecode.ParseRate(rate); err != nil {
					return UsageError{err}
				}
			}
			if st, err := os.Stat(args[0]); err == nil && st.IsDir() && len(args) == 1 {
				o.Dir = args[0]
			}
			files, err := recordings(args)
			if err != nil {
				return refused(cmd, asJSON, args[0], err)
			}
			bar := newProgress(cmd, "checking")
			o.Progress = func(done, total int64) { bar.at(done, total, o.Spec.SampleRate) }
			c, err := delivery.Verify(cmd.Context(), files, o)
			bar.end()
			if err != nil {
				return refused(cmd, asJSON, args[0], err)
			}
			if asJSON {
				err = encode(cmd, c)
			} else {
				printChecked(cmd, c)
			}
			if err == nil && !c.Passed {
				err = Unmet{}
			}
			return err
		},
	}
	f := cmd.Flags()
	f.StringVar(&spec, "spec", "", "specification: a JSON file, or the name of one that comes with the program")
	f.StringVar(&key, "key", "", "public key that the signed proof beside the files must be signed with: a PEM file, or 32 bytes in base64")
	f.StringVar(&packing, "packing", "", "which of the specification's packings (the one that fits best otherwise)")
	f.StringVar(&rate, "rate", "", "rate of the timecode, where no file says it")
	f.BoolVar(&asJSON, "json", false, "say what was found as one JSON object")
	return cmd
}

func printChecked(cmd *cobra.Command, c delivery.Checked) {
	for _, s := range c.Failures() {
		sayf(cmd, "! %s", shown(s))
	}
	for _, n := range c.Notes {
		sayf(cmd, "%s", shown(n))
	}
	for _, m := range c.Measures {
		say := func(v *float64, unit string) string {
			if v == nil {
				return "nothing"
			}
			return strconv.FormatFloat(*v, 'f', 1, 64) + " " + unit
		}
		sayf(cmd, "%s (%s): %s, true peak %s", shown(m.Name), m.Layout, say(m.Integrated, "LUFS"), say(m.TruePeak, "dBTP"))
	}
	facts := 0
	for _, f := range c.Files {
		facts += len(f.Checks)
	}
	verdict := "as it is asked for"
	if !c.Passed {
		verdict = count(len(c.Failures()), "thing") + " not as asked for"
	}
	sayf(cmd, "%s against %s (%s): %s", count(facts, "fact"), shown(c.Spec), c.Packing, verdict)
}
