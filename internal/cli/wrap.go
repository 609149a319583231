package cli

import (
	"cmp"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"zestyloom/core/picture"
)

func wrapCommand() *cobra.Command {
	var with, groups, out, headset string
	order, headLocked := -1, false
	var force, pad, dry, asJSON bool
	cmd := &cobra.Command{
		Use:   "wrap --picture FILE --groups 2+1+1+2 SOUND --out FILE",
		Short: "Put a sound into a file with a picture, its channels in streams as they are ordered",
		Long: `Put a sound into a MOV, MXF or MKV with the picture of another file, the channels in streams as wide as --groups says,
in order: 2+1+1+2 is four streams, 6x1+2 is seven.

With --ambisonic the first stream is a sound field, and players are told: 4, 9 or 16 channels, or 6, 11, 18 with
--head-locked.

The picture's packets are copied untouched, and the sound goes in as it is. A sound that says when it starts gives the file
its timecode. What was written is read back: the streams, every sample, the picture.`,
		Args: exactly(1, "one sound file"),
		RunE: func(cmd *cobra.Command, args []string) error {
			if with == "" || out == "" || groups == "" {
				return UsageError{errors.New("wrap: --picture, --groups and --out are needed")}
			}
			g, err := picture.ParseGroups(groups)
			if err != nil {
				return UsageError{err}
			}
			o := picture.WrapOptions{Picture: with, Sound: args[0], Groups: g, Out: out, Force: force, Pad: pad, Dry: dry}
			if order >= 0 {
				o.Field = &picture.Field{Order: order, HeadLocked: headLocked}
			} else if headLocked {
				return UsageError{errors.New("wrap: --head-locked goes with --ambisonic")}
			}
			if headset != "" {
				if o.Headset, err = headsetOf(headset); err != nil {
					return UsageError{err}
				}
			}
			if !dry {
				dir := filepath.Dir(out)
				sweep(cmd, dir)
				if o.Tmp, err = ownFolder(dir, "wrapping"); err != nil {
					return refused(cmd, asJSON, args[0], err)
				}
				defer os.RemoveAll(o.Tmp)
			}
			w, err := picture.Wrap(cmd.Context(), o)
			if err != nil {
				return refused(cmd, asJSON, args[0], err)
			}
			if asJSON {
				return encode(cmd, w)
			}
			saySnags(cmd, w.Snags)
			for i, s := range w.Streams {
				labels := ""
				for _, l := range s.Labels {
					if l != "" {
						labels += " " + l
					}
				}
				sayf(cmd, "stream %d: channels %s%s", i+1, numbers(s.Channels), shown(labels))
			}
			starts := ""
			if w.Timecode != "" {
				starts = ", timecode " + w.Timecode
			}
			if w.Headset != nil {
				sayf(cmd, "picture: %s", w.Headset)
			}
			done := ", read back and compared"
			if dry {
				done = wouldSay(dry)
			}
			sayf(cmd, "-> %s: %s%s%s", shown(w.Path), fmt.Sprintf("%s, %s", w.Container, count(len(w.Streams), "sound stream")), starts, done)
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&with, "picture", "", "file whose picture is taken")
	f.StringVar(&groups, "groups", "", "how wide each sound stream is, in order, such as 2+1+1+2 or 6x1+2")
	f.StringVar(&out, "out", "", "file to write: .mov, .mxf or .mkv")
	f.IntVar(&order, "ambisonic", -1, "the first stream is a sound field of this order (ACN, SN3D), and is marked as one (SA3D): (order + 1)² channels")
	f.BoolVar(&headLocked, "head-locked", false, "a head-locked stereo pair follows in the same stream: two channels more")
	f.StringVar(&headset, "headset", "", "mark a picture that says nothing as one for headsets: "+headsetWays)
	f.BoolVar(&pad, "pad", false, "into an MXF: fill a sound that is shorter than the picture with silence, by however much")
	f.BoolVar(&dry, "dry-run", false, "say what would be written and write nothing")
	f.BoolVar(&force, "force", false, "overwrite a file that is there")
	f.BoolVar(&asJSON, "json", false, "say what was written as one JSON object")
	return cmd
}

// headsetWays are the words that --headset has.
const headsetWays = "360, 180 or flat, and over-under or side-by-side after a comma where both eyes have a picture of their own, such as 180,side-by-side"

// headsetOf reads them.
func headsetOf(text string) (*picture.Headset, error) {
	around, eyes, two := strings.Cut(text, ",")
	degrees, ok := map[string]int{"360": 360, "180": 180, "flat": 0}[strings.TrimSpace(around)]
	stereo := strings.ReplaceAll(strings.TrimSpace(eyes), "-", "_")
	if !ok || two && !slices.Contains(picture.Stereos[1:], stereo) || degrees == 0 && !two {
		return nil, fmt.Errorf("wrap: --headset %s: expected %s", text, headsetWays)
	}
	h := picture.Seen(degrees, cmp.Or(stereo, picture.Stereos[0]))
	return &h, nil
}

// unwrapCommand is extract under the name of wrap's opposite.
func unwrapCommand() *cobra.Command {
	cmd := extractCommand()
	cmd.Use = "unwrap FILE|FOLDER... --out FOLDER"
	cmd.Short = "Write the sound streams of files with pictures out, as extract does"
	return cmd
}
