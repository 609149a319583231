package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
	"golang.org/x/sys/unix"
)

// system is the application: a server, an extra worker, and the PostgreSQL that the server starts.
type system struct {
	program, home string
	url           string // the same after every start
	rng           *rand.Rand
	server        *exec.Cmd
	worker        *exec.Cmd
}

func (s *system) start(ctx context.Context) error {
	if err := s.startServer(); err != nil {
		return err
	}
	if err := s.ready(ctx); err != nil {
		return err
	}
	return s.startWorker()
}

func (s *system) command(args ...string) (*exec.Cmd, error) {
	log, err := os.OpenFile(filepath.Join(s.home, "log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return nil, err
	}
	defer log.Close()
	cmd := exec.Command(s.program, append(args, "--home", s.home)...)
	cmd.Stderr = log
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	return cmd, nil
}

func (s *system) startServer() error {
	listen := "127.0.0.1:0"
	if s.url != "" {
		listen = strings.TrimPrefix(s.url, "http://")
	}
	cmd, err := s.command("serve", "--listen", listen)
	if err != nil {
		return err
	}
	out, err := cmd.StdoutPipe()
	if err != nil {
		return err
	}
	if err := cmd.Start(); err != nil {
		return err
	}
	s.server = cmd
	lines := bufio.NewScanner(out)
	for lines.Scan() {
		if _, rest, ok := strings.Cut(lines.Text(), "is at "); ok {
			s.url, _, _ = strings.Cut(rest, " ")
			go func() { _, _ = io.Copy(io.Discard, out) }()
			return nil
		}
	}
	return fmt.Errorf("the server did not start: %w; see %s", cmd.Wait(), filepath.Join(s.home, "log"))
}

func (s *system) startWorker() error {
	cmd, err := s.command("worker")
	if err != nil {
		return err
	}
	s.worker = cmd
	return cmd.Start()
}

func (s *system) end() {
	for _, c := range []*exec.Cmd{s.worker, s.server} {
		if c != nil && c.Process != nil {
			_ = c.Process.Signal(syscall.SIGINT)
			_ = c.Wait()
		}
	}
}

// ready waits until the server says that all its parts are.
func (s *system) ready(ctx context.Context) error {
	for deadline := time.Now().Add(time.Minute); time.Now().Before(deadline) && ctx.Err() == nil; time.Sleep(50 * time.Millisecond) {
		resp, err := http.Get(s.url + "/readyz")
		if err != nil {
			continue
		}
		resp.Body.Close()
		if resp.StatusCode == http.StatusOK {
			return nil
		}
	}
	return errors.Join(errors.New("not ready after a minute"), ctx.Err())
}

func (s *system) killServer(context.Context) error {
	_ = s.server.Process.Kill()
	_ = s.server.Wait()
	return s.startServer()
}

func (s *system) killWorker(context.Context) error {
	_ = s.worker.Process.Kill()
	_ = s.worker.Wait()
	return s.startWorker()
}

// postgres is the process of the database.
func (s *system) postgres() (pid, port int, err error) {
	b, err := os.ReadFile(filepath.Join(s.home, "postgres", "cluster", "postmaster.pid"))
	if err != nil {
		return 0, 0, err
	}
	lines := strings.Split(string(b), "\n")
	if len(lines) < 4 {
		return 0, 0, errors.New("PostgreSQL is just starting")
	}
	pid, err = strconv.Atoi(strings.TrimSpace(lines[0]))
	port, e := strconv.Atoi(strings.TrimSpace(lines[3]))
	return pid, port, errors.Join(err, e)
}

func (s *system) killPostgres(context.Context) error {
	pid, _, err := s.postgres()
	if err != nil {
		return err
	}
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
		return err
	}
	time.Sleep(300 * time.Millisecond) // else the server is ready because it has not noticed
	return nil
}

// connect is a session of our own.
func (s *system) connect(ctx context.Context) (*pgx.Conn, error) {
	_, port, err := s.postgres()
	if err != nil {
		return nil, err
	}
	secret, err := os.ReadFile(filepath.Join(s.home, "postgres", "password"))
	if err != nil {
		return nil, err
	}
	return pgx.Connect(ctx, fmt.Sprintf("postgres://zestyloom:%s@127.0.0.1:%d/zestyloom?sslmode=disable", strings.TrimSpace(string(secret)), port))
}

const others = ` FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()`

// killSession kills the process of one session, for which PostgreSQL ends all of them.
func (s *system) killSession(ctx context.Context) error {
	c, err := s.connect(ctx)
	if err != nil {
		return err
	}
	defer c.Close(ctx)
	var pid int
	if err := c.QueryRow(ctx, `SELECT pid`+others+` ORDER BY md5(pid::text || $1) LIMIT 1`, fmt.Sprint(s.rng.Uint32())).Scan(&pid); err != nil {
		return err
	}
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
		return err
	}
	time.Sleep(300 * time.Millisecond)
	return nil
}

// endSessions ends all sessions, among them those that say which workers live.
func (s *system) endSessions(ctx context.Context) error {
	c, err := s.connect(ctx)
	if err != nil {
		return err
	}
	defer c.Close(ctx)
	_, err = c.Exec(ctx, `SELECT pg_terminate_backend(pid)`+others)
	return err
}

// fillDisk leaves no room for a while.
func (s *system) fillDisk(context.Context) error {
	path := filepath.Join(s.home, "ballast")
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	defer os.Remove(path)
	defer f.Close()
	block := make([]byte, 4<<20)
	for {
		if _, err := f.Write(block); err != nil {
			break
		}
	}
	time.Sleep(time.Duration(1000+s.rng.IntN(3000)) * time.Millisecond)
	return nil
}

// jump sets the machine's clock up to an hour off, forward or back, for a few seconds, and right again.
func (s *system) jump(context.Context) error {
	began := time.Now() // with the monotonic clock, which goes on
	by := time.Duration(s.rng.IntN(7200)-3600) * time.Second
	set := func(t time.Time) error {
		v := unix.NsecToTimeval(t.UnixNano())
		return unix.Settimeofday(&v)
	}
	if err := set(began.Add(by)); err != nil {
		return fmt.Errorf("the clock can't be set: %w", err)
	}
	time.Sleep(time.Duration(1000+s.rng.IntN(3000)) * time.Millisecond)
	return set(began.Add(time.Since(began)))
}
