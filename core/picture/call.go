package picture

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"time"

	"golang.org/x/sys/unix"

	"zestyloom/core/snag"
	"zestyloom/core/source"
)

// A file with pictures may have been made to misuse the program that reads it: to read other files of this machine or
// the network through it, to fill memory or disk, to never end. What it is has been told from its first bytes, and the
// program gets no say in that; it opens nothing but this file, works in an empty folder, and within limits.
const (
	probeTime  = 2 * time.Minute
	decodeTime = 6 * time.Hour
	maxMemory  = 8 << 30 // bytes of address space
	maxAlloc   = "1073741824"
	growth     = 4096     // times the size of what is read: the most that is written of it
	leastWrite = 64 << 20 // bytes that may be written of the smallest file
	maxFiles   = 512      // open at once
)

// call is a run of ffprobe or ffmpeg on one file.
type call struct {
	program       string
	in            string
	kind          string   // how ffmpeg calls what it is, of a file of our own; found out where it is empty
	before, after []string // what stands before and after the input
	wall          time.Duration
	most          int // bytes of an answer; maxProbe where it is 0
}

// inherited is how a program names the file that it is handed open, the first after its three own.
const inherited = "file:/proc/self/fd/3"

// demuxer is how ffmpeg calls what a file is, from its first bytes, and what it must not do there.
func demuxer(f *os.File) ([]string, error) {
	head := make([]byte, 16)
	n, err := io.ReadFull(io.NewSectionReader(f, 0, int64(len(head))), head)
	if err != nil && !errors.Is(err, io.ErrUnexpectedEOF) && !errors.Is(err, io.EOF) {
		return nil, err
	}
	switch source.SniffPicture(head[:n]) {
	case "mov":
		return []string{"-f", "mov", "-enable_drefs", "0", "-use_absolute_path", "0"}, nil
	case "matroska":
		return []string{"-f", "matroska"}, nil
	case "mxf":
		return []string{"-f", "mxf"}, nil
	}
	return nil, snag.Refuse("not_audio", "it begins like no file with pictures that is read: MOV, MP4, MKV and MXF are")
}

// fromHere names files from the root, as the program works in a folder of its own.
func fromHere(args []string) ([]string, error) {
	out := make([]string, len(args))
	for i, a := range args {
		out[i] = a
		if name, ok := strings.CutPrefix(a, "file:"); ok && !filepath.IsAbs(name) {
			whole, err := filepath.Abs(name)
			if err != nil {
				return nil, err
			}
			out[i] = "file:" + whole
		}
	}
	return out, nil
}

// run returns what the program prints; what it says on its error output becomes the error. When ctx ends, or this
// process, the program ends with all that it has started.
func (c call) run(ctx context.Context) ([]byte, error) {
	// It is opened here and once: what lies under its name later is not what the program reads.
	in, err := source.OpenFile(c.in)
	if err != nil {
		return nil, err
	}
	defer in.Close()
	kind := []string{"-f", c.kind}
	if c.kind == "" {
		if kind, err = demuxer(in); err != nil {
			return nil, err
		}
	}
	st, err := in.Stat()
	if err != nil {
		return nil, err
	}
	room, err := os.MkdirTemp("", "zestyloom-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(room)
	ctx, cancel := context.WithTimeoutCause(ctx, c.wall, snag.Refuse("picture_unreadable", "%s took longer than %s over it and was stopped", c.program, c.wall))
	defer cancel()
	if c.after, err = fromHere(c.after); err != nil {
		return nil, err
	}
	args := append([]string{"-v", "error", "-max_alloc", maxAlloc}, c.before...)
	args = append(append(args, "-protocol_whitelist", "file,pipe"), kind...)
	args = append(append(args, "-i", inherited), c.after...)
	cmd := exec.CommandContext(ctx, c.program, args...)
	var out, says limited
	out.max, says.max = cmp.Or(c.most, maxProbe), 64<<10
	cmd.Stdout, cmd.Stderr = &out, &says
	cmd.ExtraFiles = []*os.File{in}
	cmd.Dir = room
	cmd.Env = []string{"PATH=" + os.Getenv("PATH"), "HOME=" + room, "TMPDIR=" + room, "LC_ALL=C"}
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGKILL}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
	cmd.WaitDelay = time.Second
	// The signal at the parent's death is sent when the thread dies that started the child.
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	err = cmd.Start()
	if err == nil {
		limit(cmd.Process.Pid, st.Size())
		err = cmd.Wait()
	}
	switch {
	case errors.Is(err, exec.ErrNotFound):
		return nil, snag.Refuse("no_ffmpeg", "files with pictures are read through %s, which is not installed on the server: install Debian's ffmpeg", c.program)
	case ctx.Err() != nil:
		return nil, context.Cause(ctx)
	case err != nil && strings.Contains(says.String(), syscall.ENOSPC.Error()):
		return nil, syscall.ENOSPC
	case err != nil:
		return nil, snag.Refuse("picture_unreadable", "%s can't read it: %s", c.program, lastLine(strings.ReplaceAll(says.String(), inherited, filepath.Base(c.in)), err))
	case out.cut:
		return nil, snag.Refuse("bad_stream", "it says more of itself than any recording has to: it is damaged, or no recording")
	}
	return out.Bytes(), nil
}

// maxThreads is how many threads and processes more than there are a program may have. Those of a user are counted
// together, and root's are not limited.
const maxThreads = 256

// threads counts those of this user.
func threads() (n uint64) {
	all, _ := filepath.Glob("/proc/[0-9]*")
	for _, dir := range all {
		st, err := os.Stat(dir)
		if err != nil {
			continue
		}
		if s, ok := st.Sys().(*syscall.Stat_t); !ok || int(s.Uid) != os.Getuid() {
			continue
		}
		if tasks, err := os.ReadDir(filepath.Join(dir, "task")); err == nil {
			n += uint64(len(tasks))
		}
	}
	return n
}

// limit bounds what a process may take. That of the time is its context's.
func limit(pid int, size int64) {
	for what, most := range map[int]uint64{
		unix.RLIMIT_NPROC:  threads() + maxThreads,
		unix.RLIMIT_AS:     maxMemory,
		unix.RLIMIT_FSIZE:  uint64(leastWrite + growth*max(0, size)),
		unix.RLIMIT_NOFILE: maxFiles,
		unix.RLIMIT_CORE:   0,
	} {
		// A process that has ended meanwhile has no limits.
		_ = unix.Prlimit(pid, what, &unix.Rlimit{Cur: most, Max: most}, nil)
	}
}

func lastLine(s string, err error) string {
	lines := strings.Split(strings.TrimSpace(s), "\n")
	if last := strings.TrimSpace(lines[len(lines)-1]); last != "" {
		return last
	}
	return err.Error()
}

// limited keeps no more than max bytes of what is written to it.
type limited struct {
	bytes.Buffer
	max int
	cut bool
}

func (l *limited) Write(p []byte) (int, error) {
	room := max(0, l.max-l.Len())
	l.cut = l.cut || len(p) > room
	l.Buffer.Write(p[:min(room, len(p))])
	return len(p), nil
}
