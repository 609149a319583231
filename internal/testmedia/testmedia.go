// Package testmedia makes reference files with general tools that share no code with the project:
// sox, ffmpeg and flac. In all of them channel n is a sine of 100·n Hz at a peak of 0.5
// (-6.02 dBFS), starting at phase 0, so that a swapped channel shows.
package testmedia

import (
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"testing"
)

const script = `
set -euo pipefail
mono() { sox -n -D -r "$2" -b 24 -c 1 "$1.$2.wav" synth 1 sine "$(( $1 * 100 ))" gain -6.0206; }
merge() { local n=$1 r=$2; shift 2; local f=(); for i in $(seq 1 "$n"); do f+=("$i.$r.wav"); done; sox -D -M "${f[@]}" "$@"; }
for i in 1 2 3 4 5 6 7 8; do mono $i 48000; done
mono 1 44100; mono 2 44100
merge 8 48000 -b 24 poly8_s24.wav
merge 8 48000 -b 16 poly8_s16.wav
merge 2 48000 -b 8 -e unsigned-integer stereo_u8.wav
merge 3 48000 -b 32 -e signed-integer lcr_s32.wav
merge 5 48000 -e floating-point -b 32 poly5_f32.wav
merge 2 48000 -e floating-point -b 64 stereo_f64.wav
merge 6 48000 -b 24 six.wav
ffmpeg -v error -y -bitexact -i six.wav -c:a pcm_s24le -rf64 always surround6_rf64.wav
ffmpeg -v error -y -bitexact -i six.wav -c:a pcm_s24le surround6.w64
merge 4 48000 -b 24 quad_s24.aiff
merge 2 48000 -b 16 stereo_s16.aiff
sox -D six.wav -b 16 -t aifc six_s16.aifc
ffmpeg -v error -y -i poly5_f32.wav -c:a pcm_f32be -f aiff poly5_fl32.aifc
ffmpeg -v error -y -i poly8_s16.wav -c:a pcm_s16le -f aiff poly8_sowt.aifc
merge 4 48000 -b 24 quad.wav; flac -s --totally-silent -f -o quad_s24.flac quad.wav
merge 2 48000 -b 16 pair.wav; flac -s --totally-silent -f -o stereo_s16.flac pair.wav
merge 2 48000 -b 32 -e signed-integer pair32.wav; flac -s --totally-silent -f -o stereo_s32.flac pair32.wav
merge 2 44100 -b 16 stereo_44k1.wav
ffmpeg -v error -y -i 1.48000.wav -c:a pcm_s24le -write_bext 1 -metadata description='sSCENE=21A' -metadata originator=Reference \
  -metadata origination_date=2026-03-14 -metadata origination_time=22:10:05 -metadata time_reference=3830640000 mono_bext.wav
head -c 500000 poly8_s24.wav > cut_short.wav
cp poly8_s16.wav power_lost.wav
printf '\0\0\0\0' | dd of=power_lost.wav bs=1 seek=4 conv=notrunc status=none
at=$(grep -abo data power_lost.wav | head -1 | cut -d: -f1)
printf '\0\0\0\0' | dd of=power_lost.wav bs=1 seek=$((at+4)) conv=notrunc status=none
ffmpeg -v error -y -f lavfi -i testsrc=size=320x180:rate=25:duration=2 -i pair.wav -map 0:v -map 1:a -c:v libx264 -pix_fmt yuv420p -c:a pcm_s24le -timecode 22:10:04:00 camera.mov
ffmpeg -v error -y -f lavfi -i testsrc=size=160x90:rate=30000/1001:duration=1 -i six.wav -filter_complex '[1:a]channelsplit=channel_layout=5.1[a][b][c][d][e][f];[a][b]join=inputs=2[s];[e][f]join=inputs=2[t]' \
  -map 0:v -map '[s]' -map '[c]' -map '[d]' -map '[t]' -c:v mpeg4 -c:a pcm_s24le -timecode '10:00:00;00' groups.mov
ffmpeg -v error -y -f lavfi -i testsrc=size=160x90:rate=25:duration=1 -i pair.wav -c:v libx264 -pix_fmt yuv420p -c:a aac -b:a 192k lossy.mp4
ffmpeg -v error -y -i pair.wav -c:a flac sound.mkv
ffmpeg -v error -y -f lavfi -i testsrc=size=720x576:rate=25:duration=1 -i pair.wav -c:v mpeg2video -b:v 5M -c:a pcm_s16le -timecode 01:00:00:00 tape.mxf
ffmpeg -v error -y -f lavfi -i testsrc=size=160x90:rate=25:duration=1 -c:v libx264 -pix_fmt yuv420p silent.mp4
# Sound 0.5 s and 0.7 s after the picture, the second stream shorter; the same without a picture.
sox -D 2.48000.wav short.wav trim 0 0.5
ffmpeg -v error -y -f lavfi -i testsrc=size=160x90:rate=25:duration=3 -itsoffset 0.5 -i 1.48000.wav -itsoffset 0.7 -i short.wav -map 0:v -map 1:a -map 2:a -c:v libx264 -pix_fmt yuv420p -c:a pcm_s24le -timecode 10:00:00:00 late.mov
ffmpeg -v error -y -i late.mov -map 0:a -map 0:d -c copy sound.mov
ffmpeg -v error -y -i 1.48000.wav -c:a pcm_s24le -f mxf_opatom -timecode 10:00:00:00 opatom.mxf
ffmpeg -v error -y -f lavfi -i testsrc=size=160x90:rate=25:duration=1 -i pair.wav -c:v mpeg4 -c:a aac -use_editlist 0 unmarked.mp4
ffmpeg -v error -y -f lavfi -i testsrc=size=160x90:rate=25:duration=1 -i stereo_f64.wav -i lcr_s32.wav -i poly5_f32.wav -map 0:v -map 1:a -map 2:a -map 3:a -c:v mpeg4 -c:a:0 pcm_f64le -c:a:1 pcm_s32le -c:a:2 pcm_f32le words.mov
sox -D pair.wav pair.au; ffmpeg -v error -y -i poly5_f32.wav -c:a pcm_f32be poly5_f32.au
ffmpeg -v error -y -i quad.wav -c:a pcm_s24be quad_s24.caf; ffmpeg -v error -y -i stereo_f64.wav -c:a pcm_f64le stereo_f64.caf
sox -D stereo_u8.wav -b 8 stereo_s8.aiff
# An ID3 tag of 300 bytes: its length needs the second of its bytes of seven bits.
{ printf 'ID3\x04\0\0\0\0\x02\x2c'; head -c 300 /dev/zero; cat quad_s24.flac; } > tagged.flac
{ printf 'RIFF\x24\0\0\0WAVEfmt \x10\0\0\0'; head -c 16 /dev/zero; } > not_a_wave.wav
`

var (
	once sync.Once
	dir  string
	fail string
)

// Dir is the folder of the reference files, made when first asked for and shared by all tests of a
// process. It must not be written to.
func Dir(tb testing.TB) string {
	tb.Helper()
	once.Do(func() {
		var err error
		if dir, err = os.MkdirTemp("", "zestyloom-media-"); err != nil {
			fail = err.Error()
			return
		}
		cmd := exec.Command("bash", "-c", script)
		cmd.Dir = dir
		if out, err := cmd.CombinedOutput(); err != nil {
			fail = "the reference files can't be made (run scripts/setup.sh test): " + err.Error() + "\n" + string(out)
		}
	})
	if fail != "" {
		tb.Fatal(fail)
	}
	return dir
}

// Path is the path of a reference file.
func Path(tb testing.TB, name string) string {
	tb.Helper()
	return filepath.Join(Dir(tb), name)
}

// Main runs a package's tests and removes the reference files afterwards. Call it from TestMain.
func Main(m *testing.M) {
	code := m.Run()
	if dir != "" {
		os.RemoveAll(dir)
	}
	os.Exit(code)
}
