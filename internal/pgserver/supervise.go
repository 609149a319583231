package pgserver

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"syscall"
	"time"
)

// How a server that ended by itself is brought back: at once, and then less and less often.
const (
	lookEvery   = 200 * time.Millisecond
	firstWait   = 200 * time.Millisecond
	longestWait = 10 * time.Second
)

// supervise brings the server back whenever it has ended without being told to, until ctx ends.
func (s *Server) supervise(ctx context.Context) {
	defer close(s.supervised)
	wait := firstWait
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(lookEvery):
		}
		if s.alive() {
			continue
		}
		s.say("PostgreSQL has stopped and is being started again")
		err := s.locked(func() error {
			if s.alive() || s.adopt(ctx) {
				return nil // somebody else has been quicker
			}
			return s.launch(ctx)
		})
		if err == nil {
			s.say("")
			wait = firstWait
			continue
		}
		if ctx.Err() != nil {
			return
		}
		s.say(fmt.Sprintf("PostgreSQL does not start: %v; it is tried again in %s", err, wait))
		select {
		case <-ctx.Done():
			return
		case <-time.After(wait):
		}
		wait = min(2*wait, longestWait)
	}
}

// alive reports whether the server's process is there.
func (s *Server) alive() bool {
	s.mu.Lock()
	exited := s.exited
	s.mu.Unlock()
	if exited != nil {
		select {
		case <-exited:
		default:
			return true
		}
	}
	pid, _ := s.postmaster()
	return pid != 0
}

func (s *Server) say(trouble string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.trouble = trouble
}

// Trouble says what keeps the server from running; empty while it runs.
func (s *Server) Trouble() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.trouble
}

// locked does something that only one process may do at a time, such as starting the server.
func (s *Server) locked(fn func() error) error {
	f, err := os.OpenFile(filepath.Join(s.dir, "start.lock"), os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return err
	}
	defer f.Close()
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX); err != nil {
		return err
	}
	return fn()
}

// use marks the server as used by this process, for as long as it lives.
func (s *Server) use() (err error) {
	if s.users, err = os.OpenFile(filepath.Join(s.dir, "users.lock"), os.O_CREATE|os.O_RDWR, 0o600); err != nil {
		return err
	}
	return syscall.Flock(int(s.users.Fd()), syscall.LOCK_SH)
}

// alone makes this process the only user, and reports whether it is.
func (s *Server) alone() bool {
	return syscall.Flock(int(s.users.Fd()), syscall.LOCK_EX|syscall.LOCK_NB) == nil
}

// left is a mark that whoever was to stop the server has gone and left it to the last that uses it.
func (s *Server) left() string { return filepath.Join(s.dir, "stop-when-unused") }
