package cli_test

import (
	"bytes"
	"context"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/timecode"
	"zestyloom/core/wave"
	"zestyloom/internal/cli"
	"zestyloom/internal/testmedia"
)

// recorded writes a file of noise that starts at ten o'clock and names its channels.
func recorded(t *testing.T, path string, seed uint64, mask uint32, names ...string) {
	t.Helper()
	rng := rand.New(rand.NewPCG(seed, 18))
	var channels [][]float64
	x := wave.NewIXML()
	var tracks []wave.IXMLTrack
	for i, name := range names {
		ch := noise(rng, 4*48000)
		for k := range ch {
			ch[k] *= 0.1207 // two channels of it are -23 LUFS
		}
		channels = append(channels, ch)
		tracks = append(tracks, wave.IXMLTrack{Recorder: i + 1, Interleave: i + 1, Name: name})
	}
	x.SetTracks(tracks)
	if scene, take, set := strings.Cut(strings.SplitN(filepath.Base(path), "_", 2)[0], "-T"); set { // of a recorder: 21A-T03_1.wav
		x.Set("SCENE", scene)
		x.Set("TAKE", take)
	}
	const start = 10 * 3600 * 48000
	x.SetSpeed(48000, 24, start, timecode.Rate{Num: 25, Den: 1})
	require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
	testmedia.WriteAs(t, path, wave.Options{Format: wave.Format{Coding: audio.S24, SampleRate: 48000, Channels: len(names), Mask: mask}, IXML: x, Bext: &wave.Bext{TimeReference: start, Version: 1}}, channels...)
}

// words are those of a line as a shell has them, in a folder.
func words(t *testing.T, line, dir string) []string {
	t.Helper()
	cmd := exec.Command("bash", "-c", "shopt -s failglob; printf '%s\\n' "+line)
	cmd.Dir = dir
	out, err := cmd.Output()
	require.NoError(t, err, line)
	return strings.Split(strings.TrimSuffix(string(out), "\n"), "\n")
}

// Every line of the README that calls the program does what it says there, on files such as it speaks of, one after another.
func TestEveryLineOfTheReadme(t *testing.T) {
	readme, err := os.ReadFile("../../README.md")
	require.NoError(t, err)
	dir := t.TempDir()
	in := func(name string) string { return filepath.Join(dir, name) }
	film := func(to string, sound string) {
		args := []string{"-v", "error", "-f", "lavfi", "-i", "testsrc=size=64x48:rate=25:duration=4"}
		if sound != "" {
			args = append(args, "-i", sound, "-c:a", "pcm_s24le", "-map", "0:v", "-map", "1:a", "-timecode", "10:00:00:00")
		}
		require.NoError(t, exec.Command("ffmpeg", append(args, "-c:v", "libx264", "-pix_fmt", "yuv420p", to)...).Run())
	}
	recorded(t, in("day.wav"), 1, 0, "Mix L", "Mix R", "Boom", "Lav Ines", "Lav Ben", "Ferry")
	recorded(t, in("mix.wav"), 2, 3, "L", "R")
	recorded(t, in("six.wav"), 3, 0, "Full L", "Full R", "DX", "VO", "MX L", "MX R")
	film(in("camera.mov"), in("day.wav"))
	film(in("cut.mov"), "")
	for i, name := range []string{"cut1.edl", "cut2.edl"} {
		edl := "TITLE: Reel 1\nFCM: NON-DROP FRAME\n\n001  ROLL_7   V     C        10:00:00:00 10:00:02:00 01:00:00:00 01:00:02:00\n* FROM CLIP NAME: 21A-3\n"
		edl = strings.ReplaceAll(edl, "01:00:00:00 01:00:02:00", []string{"01:00:00:00 01:00:02:00", "01:00:01:00 01:00:03:00"}[i])
		require.NoError(t, os.WriteFile(in(name), []byte(edl), 0o600))
	}
	for i, name := range []string{"21A-T03_1.wav", "21A-T03_2.wav"} {
		recorded(t, in("card/"+name), uint64(10+i), 0, []string{"Boom", "Lav"}[i])
	}
	for i, stem := range []string{"DX", "MX", "FX"} {
		recorded(t, in("mix/"+stem+".wav"), uint64(20+i), 3, stem+" L", stem+" R")
	}
	// What stands for all files of a folder there is a folder of its own here.
	own := map[string]func(dir string){
		"route": func(dir string) {
			for i, sp := range []string{"L", "C", "R", "Ls", "Rs", "LFE"} {
				recorded(t, filepath.Join(dir, "0"+string(rune('1'+i))+"_"+sp+".wav"), uint64(30+i), 0, sp)
			}
		},
	}
	ran := map[string]bool{}
	for line := range strings.Lines(string(readme)) {
		rest, is := strings.CutPrefix(strings.TrimSpace(line), "bin/zestyloom ")
		if !is {
			continue
		}
		at := dir
		verb, _, _ := strings.Cut(rest, " ")
		if prepare := own[verb]; prepare != nil {
			at = t.TempDir()
			prepare(at)
		}
		args := words(t, rest, at)
		t.Chdir(at)
		if verb == "deck" { // it serves until it is stopped
			serves(t, append(args, "--listen", "127.0.0.1:0", "--home", t.TempDir()))
		} else {
			said, told, err := outputs(t, args...)
			assert.Equal(t, 0, cli.Status(err), "%s\n%s%s", rest, said, told)
			assert.NotEmpty(t, said, rest)
		}
		ran[verb] = true
	}
	// What comes without files is shown elsewhere.
	for _, cmd := range cli.Root().Commands() {
		switch cmd.Name() {
		case "serve", "worker", "demo", "migrate", "scrub", "man", "completion", "help", "templates", "layouts", "unwrap":
		default:
			assert.True(t, ran[cmd.Name()], "%s is not among the README's examples", cmd.Name())
		}
	}
}

// serves runs a command until it says where it serves, and stops it.
func serves(t *testing.T, args []string) {
	t.Helper()
	ctx, stop := context.WithTimeout(context.Background(), time.Minute)
	defer stop()
	root := cli.Root()
	root.SetArgs(args)
	root.SetOut(stopping{stop})
	root.SetErr(&bytes.Buffer{})
	require.Equal(t, 0, cli.Status(root.ExecuteContext(ctx)))
	require.ErrorIs(t, ctx.Err(), context.Canceled, "it said where it serves")
}

// stopping stops what says an address.
type stopping struct{ stop func() }

func (s stopping) Write(b []byte) (int, error) {
	if bytes.Contains(b, []byte("http://127.0.0.1:")) {
		s.stop()
	}
	return len(b), nil
}
