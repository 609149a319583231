package delivery

import (
	"context"
	"errors"
	"os/exec"
	"regexp"
	"strconv"
	"time"
)

// sndfileTime is how long sndfile-info may take: it reads headers, and for the greatest sample all of the file.
const sndfileTime = 2 * time.Minute

// sndfileFacts is what sndfile-info says of a file.
type sndfileFacts struct {
	channels, rate int
	frames         int64
}

var errNoSndfile = errors.New("sndfile-info is not installed")

var sndfileLine = regexp.MustCompile(`(?m)^(Channels|Sample Rate|Frames)\s*:\s*(\d+)`)

// sndfileInfo asks sndfile-info, of libsndfile, for the facts of a file.
func sndfileInfo(ctx context.Context, path string) (f sndfileFacts, err error) {
	ctx, cancel := context.WithTimeout(ctx, sndfileTime)
	defer cancel()
	out, err := exec.CommandContext(ctx, "sndfile-info", path).CombinedOutput()
	if errors.Is(err, exec.ErrNotFound) {
		return f, errNoSndfile
	}
	if err != nil {
		return f, err
	}
	// What the chunks of the file say stands before what libsndfile makes of them: the last of each is its own.
	for _, m := range sndfileLine.FindAllStringSubmatch(string(out), -1) {
		v, err := strconv.ParseInt(m[2], 10, 64)
		if err != nil {
			continue
		}
		switch m[1] {
		case "Channels":
			f.channels = int(v)
		case "Sample Rate":
			f.rate = int(v)
		case "Frames":
			f.frames = v
		}
	}
	return f, nil
}
