// Package pgserver runs Debian's PostgreSQL on loopback, in a folder of the application's own, for
// those who have no server to point at, and for tests.
package pgserver

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"
)

// Options say where a server keeps its data and how it trades safety for speed.
type Options struct {
	Dir     string // holds the cluster, the password and the log; made when it is not there
	Scratch bool   // data need not survive a crash of the machine: for tests
	// Keep says that the server is brought back when it ends by itself, and that it ends with this process, even
	// if another has started it. Without it, only a server that this process has started is stopped by it.
	Keep bool
}

// Server is a running PostgreSQL.
type Server struct {
	dir      string
	port     int
	password string
	bin      string
	owner    *syscall.Credential
	scratch  bool
	stops    bool     // with this process
	users    *os.File // held by all that use it

	mu      sync.Mutex
	exited  chan struct{} // of the process that was started last; nil when it was running already
	trouble string

	endSupervision context.CancelFunc
	supervised     chan struct{}
}

// Start starts the server of a folder, making its cluster first when there is none. A server that
// another process has started, or that a killed one left running, is taken over.
func Start(ctx context.Context, o Options) (*Server, error) {
	bin, err := binaries()
	if err != nil {
		return nil, err
	}
	owner, err := owner()
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(o.Dir, 0o711); err != nil {
		return nil, err
	}
	s := &Server{dir: o.Dir, bin: bin, owner: owner, scratch: o.Scratch, stops: o.Keep}
	if err := s.use(); err != nil {
		return nil, err
	}
	err = s.locked(func() error {
		if err := s.cluster(ctx, bin, owner); err != nil {
			return err
		}
		if s.adopt(ctx) {
			return nil
		}
		s.stops = true
		if s.port, err = freePort(); err != nil {
			return err
		}
		return s.launch(ctx)
	})
	if err != nil {
		return nil, errors.Join(err, s.users.Close())
	}
	if o.Keep {
		_ = os.Remove(s.left())
		background, end := context.WithCancel(context.Background())
		s.endSupervision, s.supervised = end, make(chan struct{})
		go s.supervise(background)
	}
	return s, nil
}

// launch runs the server on its port and waits until it answers.
func (s *Server) launch(ctx context.Context) error {
	args := []string{"-D", s.data(), "-p", strconv.Itoa(s.port),
		"-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories=", "-c", "max_connections=100",
		"-c", "log_destination=stderr", "-c", "logging_collector=off"}
	if s.scratch {
		args = append(args, "-c", "fsync=off", "-c", "synchronous_commit=off", "-c", "full_page_writes=off")
	}
	log, err := os.OpenFile(filepath.Join(s.dir, "postgres.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer log.Close()
	cmd := exec.Command(filepath.Join(s.bin, "postgres"), args...)
	cmd.Stdout, cmd.Stderr = log, log
	cmd.Dir = "/"
	// A group of its own: Ctrl-C at the terminal is for us, who stop the server in order.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Credential: s.owner}
	if err := cmd.Start(); err != nil {
		return fmt.Errorf("PostgreSQL did not start: %w", err)
	}
	exited := make(chan struct{})
	go func() {
		_ = cmd.Wait()
		close(exited)
	}()
	s.mu.Lock()
	s.exited = exited
	s.mu.Unlock()
	if err := s.ready(ctx); err != nil {
		_ = s.interrupt(cmd.Process.Pid)
		return err
	}
	return nil
}

func (s *Server) data() string { return filepath.Join(s.dir, "cluster") }

// URL is the connection string of a database on the server.
func (s *Server) URL(database string) string {
	return fmt.Sprintf("postgres://zestyloom:%s@127.0.0.1:%d/%s?sslmode=disable", s.password, s.port, database)
}

// CreateDatabase makes a database unless it is there.
func (s *Server) CreateDatabase(ctx context.Context, name string) error {
	return s.createDatabase(ctx, name, "template1")
}

// CopyDatabase makes a database like another one, to which nobody is connected, unless it is there.
func (s *Server) CopyDatabase(ctx context.Context, name, of string) error {
	return s.createDatabase(ctx, name, of)
}

func (s *Server) createDatabase(ctx context.Context, name, template string) error {
	c, err := pgx.Connect(ctx, s.URL("postgres"))
	if err != nil {
		return err
	}
	defer c.Close(ctx)
	var there bool
	if err := c.QueryRow(ctx, `SELECT EXISTS (SELECT FROM pg_database WHERE datname = $1)`, name).Scan(&there); err != nil || there {
		return err
	}
	_, err = c.Exec(ctx, "CREATE DATABASE "+pgx.Identifier{name}.Sanitize()+" TEMPLATE "+pgx.Identifier{template}.Sanitize())
	return err
}

// Stop shuts the server down in order: connections are cut, everything is written. While other processes use it, it
// goes on, and the last of them stops it.
func (s *Server) Stop() error {
	if s.users == nil {
		return nil
	}
	if s.endSupervision != nil {
		s.endSupervision()
		<-s.supervised
	}
	defer func() {
		s.users.Close()
		s.users = nil
	}()
	_, err := os.Stat(s.left())
	if !s.stops && err != nil {
		return nil
	}
	if !s.alone() {
		return os.WriteFile(s.left(), nil, 0o600)
	}
	_ = os.Remove(s.left())
	pid, _ := s.postmaster()
	if pid == 0 {
		return nil
	}
	return s.interrupt(pid)
}

// interrupt stops the server's process and waits for its end.
func (s *Server) interrupt(pid int) error {
	if err := syscall.Kill(pid, syscall.SIGINT); err != nil && !errors.Is(err, syscall.ESRCH) {
		return err
	}
	s.mu.Lock()
	exited := s.exited
	s.mu.Unlock()
	deadline := time.Now().Add(20 * time.Second)
	for time.Now().Before(deadline) {
		if exited != nil { // its end has to be waited for: a child that has ended still counts as there
			select {
			case <-exited:
				return nil
			case <-time.After(20 * time.Millisecond):
			}
		} else if syscall.Kill(pid, 0) != nil {
			return nil
		} else {
			time.Sleep(20 * time.Millisecond)
		}
	}
	return fmt.Errorf("PostgreSQL (process %d) did not stop within 20 s; see %s", pid, filepath.Join(s.dir, "postgres.log"))
}

// cluster makes the cluster, with a password of its own that only this user can read.
func (s *Server) cluster(ctx context.Context, bin string, owner *syscall.Credential) error {
	secret := filepath.Join(s.dir, "password")
	if _, err := os.Stat(filepath.Join(s.data(), "PG_VERSION")); err == nil {
		b, err := os.ReadFile(secret)
		s.password = strings.TrimSpace(string(b))
		return err
	}
	if err := os.RemoveAll(s.data()); err != nil { // the leavings of a set-up that was cut short
		return err
	}
	var b [18]byte
	if _, err := rand.Read(b[:]); err != nil {
		return err
	}
	s.password = hex.EncodeToString(b[:])
	if err := os.WriteFile(secret, []byte(s.password+"\n"), 0o600); err != nil {
		return err
	}
	if err := os.Mkdir(s.data(), 0o700); err != nil {
		return err
	}
	if owner != nil {
		for _, p := range []string{secret, s.data()} {
			if err := os.Chown(p, int(owner.Uid), int(owner.Gid)); err != nil {
				return err
			}
		}
	}
	cmd := exec.CommandContext(ctx, filepath.Join(bin, "initdb"), "-D", s.data(), "-U", "zestyloom", "--pwfile", secret,
		"--auth", "scram-sha-256", "--encoding", "UTF8", "--locale", "C", "--no-instructions")
	cmd.Dir = "/"
	cmd.SysProcAttr = &syscall.SysProcAttr{Credential: owner}
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("initdb failed: %w\n%s", err, out)
	}
	return nil
}

// postmaster reads the process id and port of a running server from its lock file.
func (s *Server) postmaster() (pid, port int) {
	b, err := os.ReadFile(filepath.Join(s.data(), "postmaster.pid"))
	lines := strings.Split(string(b), "\n")
	if err != nil || len(lines) < 4 {
		return 0, 0
	}
	pid, _ = strconv.Atoi(strings.TrimSpace(lines[0]))
	port, _ = strconv.Atoi(strings.TrimSpace(lines[3]))
	if pid == 0 || syscall.Kill(pid, 0) != nil {
		return 0, 0
	}
	return pid, port
}

func (s *Server) adopt(ctx context.Context) bool {
	_, port := s.postmaster()
	if port == 0 || s.port != 0 && port != s.port {
		return false
	}
	s.port = port
	s.mu.Lock()
	s.exited = nil
	s.mu.Unlock()
	ctx, cancel := context.WithTimeout(ctx, 10*time.Second)
	defer cancel()
	return s.ready(ctx) == nil
}

// ready waits until the server answers.
func (s *Server) ready(ctx context.Context) error {
	ctx, cancel := context.WithTimeout(ctx, 60*time.Second)
	defer cancel()
	s.mu.Lock()
	exited := s.exited
	s.mu.Unlock()
	for {
		c, err := pgx.Connect(ctx, s.URL("postgres"))
		if err == nil {
			return c.Close(ctx)
		}
		select {
		case <-exited: // nil, and so never, when taken over
			return fmt.Errorf("PostgreSQL stopped while starting; see %s", filepath.Join(s.dir, "postgres.log"))
		case <-ctx.Done():
			return fmt.Errorf("PostgreSQL does not answer: %w", err)
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// binaries finds the newest PostgreSQL that Debian installed.
func binaries() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	if len(found) == 0 {
		return "", errors.New("PostgreSQL is not installed: run scripts/setup.sh, or set ZESTYLOOM_DATABASE_URL to a server of yours")
	}
	version := func(p string) int {
		v, _ := strconv.Atoi(filepath.Base(filepath.Dir(filepath.Dir(p))))
		return v
	}
	slices.SortFunc(found, func(a, b string) int { return version(b) - version(a) })
	return filepath.Dir(found[0]), nil
}

// owner is whom the server runs as: PostgreSQL refuses to be root, so root runs it as postgres.
func owner() (*syscall.Credential, error) {
	if os.Geteuid() != 0 {
		return nil, nil
	}
	u, err := user.Lookup("postgres")
	if err != nil {
		return nil, fmt.Errorf("PostgreSQL can't run as root, and there is no user postgres: %w", err)
	}
	uid, err1 := strconv.Atoi(u.Uid)
	gid, err2 := strconv.Atoi(u.Gid)
	return &syscall.Credential{Uid: uint32(uid), Gid: uint32(gid)}, errors.Join(err1, err2)
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}
