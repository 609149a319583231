package cli_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/internal/cli"
	"zestyloom/internal/pgtest"
	"zestyloom/internal/testmedia"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

// output runs and returns what was printed.
func output(t *testing.T, args ...string) (string, error) {
	t.Helper()
	out, _, err := outputs(t, args...)
	return out, err
}

// outputs runs and returns what was printed on the standard output and on the standard error.
func outputs(t *testing.T, args ...string) (string, string, error) {
	t.Helper()
	var out, errs bytes.Buffer
	root := cli.Root()
	root.SetArgs(args)
	root.SetOut(&out)
	root.SetErr(&errs)
	err := root.ExecuteContext(context.Background())
	return out.String(), errs.String(), err
}

func lines(t *testing.T, s string) (out []map[string]any) {
	t.Helper()
	for line := range strings.Lines(s) {
		var v map[string]any
		require.NoError(t, json.Unmarshal([]byte(line), &v), line)
		out = append(out, v)
	}
	return out
}

func TestInspectJSON(t *testing.T) {
	poly, bad, bext := testmedia.Path(t, "poly8_s24.wav"), testmedia.Path(t, "not_a_wave.wav"), testmedia.Path(t, "mono_bext.wav")
	out, err := output(t, "inspect", "--json", "--levels", poly, bad, bext)
	assert.ErrorAs(t, err, new(cli.Reported), "one file can't be read: exit status 1")
	got := lines(t, out)
	require.Len(t, got, 3, "in argument order, and the others go on")
	for _, key := range []string{"path", "container", "encoding", "sample_rate", "channels", "frames", "channel_mask", "start_samples", "start_timecode", "timecode_rate",
		"drop_frame", "project", "scene", "take", "roll", "note", "circled", "wild_track", "no_good", "tracks", "snags"} {
		assert.Contains(t, got[0], key)
	}
	assert.Equal(t, []any{"RIFF", "s24", 48000.0, 8.0, 48000.0, nil, nil, []any{}}, []any{got[0]["container"], got[0]["encoding"], got[0]["sample_rate"], got[0]["channels"],
		got[0]["frames"], got[0]["start_samples"], got[0]["timecode_rate"], got[0]["snags"]})
	track := got[0]["tracks"].([]any)[7].(map[string]any)
	assert.Equal(t, []any{8.0, "", "", nil, false}, []any{track["channel"], track["label"], track["label_source"], track["recorder_track"], track["silent"]})
	assert.InDelta(t, -6.02, track["peak_dbfs"], 0.005)
	assert.InDelta(t, -9.03, track["rms_dbfs"], 0.005)
	assert.Equal(t, "bad_format", got[1]["error"].(map[string]any)["code"])
	assert.NotEmpty(t, got[1]["error"].(map[string]any)["message"])
	assert.Equal(t, []any{3830640000.0, "22:10:05:00", "21A"}, []any{got[2]["start_samples"], got[2]["start_timecode"], got[2]["scene"]})
	plain, err := output(t, "inspect", "--json", poly)
	require.NoError(t, err)
	assert.NotContains(t, plain, "peak_dbfs")
	people, err := output(t, "inspect", "--levels", poly, bext)
	require.NoError(t, err)
	assert.Contains(t, people, "8 channels")
	assert.Contains(t, people, "22:10:05:00")
}

func TestWrongUsage(t *testing.T) {
	for _, args := range [][]string{{"inspect"}, {"inspect", "--nothing"}, {"split", "x.wav"}, {"split", "--out", "d"}, {"join", "a"}, {"nothing"}, {"inspect", "--timecode-rate", "26", "x"},
		{"split", testmedia.Path(t, "poly8_s24.wav"), "--out", t.TempDir(), "--channels", "9-1"}, {"split", "x.wav", "--out", "d", "--name", "{what}"}} {
		_, err := output(t, args...)
		assert.True(t, errors.As(err, new(cli.UsageError)), "%v: %v", args, err)
	}
}

func TestSplitAndJoin(t *testing.T) {
	dir := t.TempDir()
	out, err := output(t, "split", testmedia.Path(t, "poly8_s24.wav"), "--out", dir, "--channels", "3-6", "--pairs", "1-2", "--json")
	require.NoError(t, err)
	files := lines(t, out)[0]["files"].([]any)
	require.Len(t, files, 5)
	assert.Equal(t, []any{1.0, 2.0}, files[0].(map[string]any)["channels"])
	args := []string{"join", "--json", "--out", filepath.Join(dir, "out.wav")}
	for _, f := range files {
		args = append(args, f.(map[string]any)["path"].(string))
	}
	out, err = output(t, args...)
	require.NoError(t, err)
	joined := lines(t, out)[0]
	assert.Equal(t, []any{6.0, 48000.0, "by their index in the file set"}, []any{joined["channels"], joined["frames"], joined["order"]})
	out, err = output(t, args...)
	assert.ErrorAs(t, err, new(cli.Reported))
	assert.Equal(t, "exists", lines(t, out)[0]["error"].(map[string]any)["code"])
	_, says, err := outputs(t, "join", "--out", filepath.Join(dir, "x.wav"), testmedia.Path(t, "poly8_s24.wav"), testmedia.Path(t, "poly8_s16.wav"))
	assert.ErrorAs(t, err, new(cli.Reported))
	assert.Contains(t, says, "coding")
}

func TestOnlyLoopback(t *testing.T) {
	for _, address := range []string{"0.0.0.0:8080", "192.168.1.5:80", ":8080", "example.com:80"} {
		_, err := output(t, "serve", "--listen", address, "--home", t.TempDir())
		assert.ErrorContains(t, err, "this machine only", address)
	}
}

// mono copies reference files into a folder under other names.
func monoFolder(t *testing.T, names ...string) string {
	t.Helper()
	dir := t.TempDir()
	for i, n := range names {
		b, err := os.ReadFile(testmedia.Path(t, fmt.Sprintf("%d.48000.wav", i%8+1)))
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(dir, n), b, 0o600))
	}
	return dir
}

func TestGather(t *testing.T) {
	dir := monoFolder(t, "21A_1.wav", "21A_2.wav", "DX_3_C.wav", "DX_1_L.wav", "DX_2_R.wav", "gap_1.wav", "gap_3.wav", "alone.wav", "Reel.1 L.wav", "Reel.2 R.wav")
	for _, card := range []string{"card A", "card B"} { // the same names on two cards
		require.NoError(t, os.Mkdir(filepath.Join(dir, card), 0o755))
		for _, n := range []string{"22_1.wav", "22_2.wav"} {
			b, err := os.ReadFile(filepath.Join(dir, "21A_1.wav"))
			require.NoError(t, err)
			require.NoError(t, os.WriteFile(filepath.Join(dir, card, n), b, 0o600))
		}
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "bad.wav"), []byte("no"), 0o600))
	out := filepath.Join(t.TempDir(), "made")
	text, err := output(t, "gather", dir, "--dry-run", "--json")
	assert.ErrorAs(t, err, new(cli.Reported), "one file can't be read")
	assert.NoFileExists(t, out)
	got := map[string]map[string]any{}
	for _, l := range lines(t, text) {
		if name, ok := l["name"].(string); ok {
			got[name] = l
			assert.False(t, l["joined"].(bool))
			assert.NotEmpty(t, l["left"], "a name alone is only proposed")
		} else {
			assert.Equal(t, "not_audio", l["error"].(map[string]any)["code"])
		}
	}
	require.Len(t, got, 7, "the cards' are one name each here")
	assert.Len(t, got["21A"]["members"], 2)
	assert.Contains(t, got["DX"]["order"], "laid in")
	assert.Empty(t, got["alone"]["path"])
	assert.Equal(t, "member_missing", got["gap"]["snags"].([]any)[0].(map[string]any)["code"])
	assert.Len(t, got["Reel.1"]["members"], 1, "reels are no channels")
	require.NoError(t, os.Remove(filepath.Join(dir, "bad.wav")))
	text, err = output(t, "gather", dir, "--out", out)
	assert.Equal(t, 3, cli.Status(err), "nothing is certain, so nothing is joined")
	assert.NotContains(t, text, "joined into")
	assert.NoFileExists(t, out)
	text, err = output(t, "gather", dir, "--out", out, "--accept")
	assert.Equal(t, 3, cli.Status(err), "what something is amiss with is left alone")
	assert.Contains(t, text, "joined into "+filepath.Join(out, "21A.wav")+", read back and compared")
	assert.Contains(t, text, "gap: 2 files")
	assert.Contains(t, text, "left alone: something is amiss")
	for _, name := range []string{"21A.wav", "DX.wav", "card A/22.wav", "card B/22.wav"} {
		assert.FileExists(t, filepath.Join(out, name))
	}
	made, err := os.ReadDir(out)
	require.NoError(t, err)
	assert.Len(t, made, 4)
	text, err = output(t, "gather", dir, "--out", out, "--accept")
	assert.ErrorAs(t, err, new(cli.Reported), "nothing is overwritten")
	assert.Contains(t, text, "(option --force)")
	_, err = output(t, "gather", dir, "--out", out, "--force", "--accept", "--anyway")
	assert.Equal(t, 3, cli.Status(err), "the reels' sides are still missed")
	assert.FileExists(t, filepath.Join(out, "gap.wav"))
	_, err = output(t, "gather", dir)
	assert.ErrorAs(t, err, new(cli.UsageError))
	_, err = output(t, "gather", filepath.Join(dir, "alone.wav"), "--out", out)
	assert.ErrorAs(t, err, new(cli.Reported))
}

// A take whose files say that they are one is joined at once.
func TestGatherWhatIsCertain(t *testing.T) {
	dir := t.TempDir()
	_, err := output(t, "split", testmedia.Path(t, "poly8_s24.wav"), "--out", filepath.Join(dir, "parts"))
	require.NoError(t, err)
	text, err := output(t, "gather", filepath.Join(dir, "parts"), "--out", filepath.Join(dir, "made"))
	require.NoError(t, err)
	assert.Contains(t, text, "8 files, the recorder wrote them as one file family; joined into")
}

func TestLabel(t *testing.T) {
	src, out := testmedia.Path(t, "poly8_s24.wav"), filepath.Join(t.TempDir(), "x.wav")
	_, err := output(t, "label", src, "--set", "3=Boom", "--set", "4=Lav=Ines", "--scene", "21A", "--out", out)
	require.NoError(t, err)
	text, err := output(t, "inspect", "--json", out)
	require.NoError(t, err)
	got := lines(t, text)[0]
	tracks := got["tracks"].([]any)
	assert.Equal(t, []any{"21A", "Boom", "Lav=Ines"}, []any{got["scene"], tracks[2].(map[string]any)["label"], tracks[3].(map[string]any)["label"]})
	assert.Equal(t, lines(t, must(output(t, "inspect", "--json", src)))[0]["channel_mask"], got["channel_mask"])
	for _, bad := range [][]string{{"--set", "9=x"}, {"--set", "x"}} {
		_, err := output(t, append([]string{"label", src, "--out", out + "2"}, bad...)...)
		assert.ErrorAs(t, err, new(cli.UsageError))
	}
	_, says, err := outputs(t, "label", src, "--set", "1=x", "--out", out)
	assert.ErrorAs(t, err, new(cli.Reported))
	assert.Contains(t, says, "is there already")
	assert.Contains(t, says, "(option --force)")
}

func TestExtract(t *testing.T) {
	dir := t.TempDir()
	text, err := output(t, "extract", "--json", testmedia.Path(t, "late.mov"), testmedia.Path(t, "six.wav"), "--out", filepath.Join(dir, "out"))
	assert.ErrorAs(t, err, new(cli.Reported), "a sound file needs no extracting")
	got := lines(t, text)
	require.Len(t, got, 2)
	files := got[0]["files"].([]any)
	require.Len(t, files, 2)
	for i, want := range []struct{ frames, start float64 }{{48000, 36000*48000 + 24000}, {24000, 36000*48000 + 33600}} {
		f := files[i].(map[string]any)
		assert.Equal(t, []any{1.0, want.frames, want.start}, []any{f["channels"], f["frames"], f["start_samples"]})
	}
	assert.Equal(t, "no_picture", got[1]["error"].(map[string]any)["code"])
	text, err = output(t, "extract", testmedia.Path(t, "groups.mov"), "--one", "--out", dir)
	require.NoError(t, err)
	assert.Contains(t, text, "6 channels of 48000 frames, starts at sample")
	_, says, err := outputs(t, "extract", testmedia.Path(t, "groups.mov"), "--one", "--out", dir)
	assert.ErrorAs(t, err, new(cli.Reported))
	assert.Contains(t, says, "(option --force)")
	made, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, made, 2, "nothing is left of what was needed on the way")
	_, err = output(t, "extract", testmedia.Path(t, "silent.mp4"), "--out", filepath.Join(dir, "none"))
	assert.ErrorAs(t, err, new(cli.Reported))
	assert.NoDirExists(t, filepath.Join(dir, "none"))
}

func TestDryRuns(t *testing.T) {
	dir := t.TempDir()
	text, err := output(t, "split", testmedia.Path(t, "poly8_s24.wav"), "--out", filepath.Join(dir, "x"), "--pairs", "1-2", "--dry-run")
	require.NoError(t, err)
	assert.Contains(t, text, "channels 1-2 -> ")
	assert.Contains(t, text, "channel 3 -> ")
	assert.Contains(t, text, "(not written)")
	text, err = output(t, "join", testmedia.Path(t, "1.48000.wav"), testmedia.Path(t, "2.48000.wav"), "--out", filepath.Join(dir, "y.wav"), "--dry-run", "--json")
	require.NoError(t, err)
	assert.Equal(t, false, lines(t, text)[0]["written"])
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Empty(t, left)
}

func TestInspectFoldersAsATable(t *testing.T) {
	dir := monoFolder(t, "=1+1_1.wav", "b_2.wav")
	require.NoError(t, os.Mkdir(filepath.Join(dir, "below"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "below", "bad.wav"), []byte("no"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, ".hidden.wav"), []byte("no"), 0o600))
	text, says, err := outputs(t, "inspect", "--csv", "--levels", dir)
	assert.ErrorAs(t, err, new(cli.Reported))
	assert.Contains(t, says, "bad.wav: ")
	rows, err := csv.NewReader(strings.NewReader(text)).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 3)
	assert.Equal(t, filepath.Join(dir, "=1+1_1.wav"), rows[1][0])
	assert.Equal(t, []string{"-6.021", "-9.031", "false"}, rows[1][19:22])
	_, err = output(t, "inspect", "--csv", "--json", dir)
	assert.ErrorAs(t, err, new(cli.UsageError))
}

// A line break or a control character in a name does not break the line that names it.
func TestNamesAreShownOnOneLine(t *testing.T) {
	dir := monoFolder(t, "a\nb\x1b[31m.wav")
	text, err := output(t, "inspect", dir)
	require.NoError(t, err)
	assert.Contains(t, text, `a\nb\x1b[31m.wav`)
	assert.Contains(t, text, "1 channel,")
}

func TestStopped(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	dir := filepath.Join(t.TempDir(), "out")
	root := cli.Root()
	root.SetArgs([]string{"split", testmedia.Path(t, "poly8_s24.wav"), "--out", dir})
	root.SetOut(io.Discard)
	err := root.ExecuteContext(ctx)
	assert.Equal(t, 130, cli.Status(err))
	assert.NoDirExists(t, dir, "no file and no empty folder")
}

func TestVersionCompletionAndManual(t *testing.T) {
	text, err := output(t, "--version")
	require.NoError(t, err)
	assert.Contains(t, text, "zestyloom "+cli.Version)
	text, err = output(t, "completion", "bash")
	require.NoError(t, err)
	assert.Contains(t, text, "bash completion")
	text, err = output(t, "man")
	require.NoError(t, err)
	assert.Contains(t, text, ".TH")
	dir := t.TempDir()
	_, err = output(t, "man", "--out", dir)
	require.NoError(t, err)
	assert.FileExists(t, filepath.Join(dir, "zestyloom-split.1"))
}

func must(s string, err error) string {
	if err != nil {
		panic(err)
	}
	return s
}

func TestInspectFilesWithPictures(t *testing.T) {
	text, err := output(t, "inspect", "--json", testmedia.Path(t, "groups.mov"), testmedia.Path(t, "camera.mov"))
	require.NoError(t, err)
	got := lines(t, text)
	assert.Equal(t, []any{"MOV", 6.0, 48000.0}, []any{got[0]["container"], got[0]["channels"], got[0]["frames"]})
	assert.Equal(t, "22:10:04:00", got[1]["start_timecode"])
}
