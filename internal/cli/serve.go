package cli

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"os"
	"path/filepath"
	"runtime/debug"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"

	"zestyloom/internal/app"
	"zestyloom/internal/demo"
	"zestyloom/internal/httpapi"
	"zestyloom/internal/jobs"
	"zestyloom/internal/keyfile"
	"zestyloom/internal/media"
	"zestyloom/internal/observe"
	"zestyloom/internal/pgserver"
	"zestyloom/internal/store"
	"zestyloom/web"
)

// settings are what serve, worker, demo and migrate have in common.
type settings struct {
	home     string // media, and the database where it is ours
	database string // connection string; our own server when empty
	address  string
	shelf    string
	lines    string // address and port of the first stream of the outputs over the network
	deck     string // where a deck answers
	group    string // that may read the media; the user's own when empty
	noWorker bool
	scrub    int  // within so many days everything is read again; 0 for never
	seed     bool // the demonstration
	keep     bool // the database, if it is ours: brought back when it ends by itself, and stopped with us
	reset    bool
	logLevel string
	slow     time.Duration // statements of the database that take longer are logged
	profiles string        // loopback address for pprof and expvar; "" for none

	log     *slog.Logger
	figures *observe.Figures
}

func (s *settings) common(cmd *cobra.Command) {
	cmd.Flags().StringVar(&s.home, "home", envOr("ZESTYLOOM_HOME", "var"), "folder for media, and for the database where it is our own (ZESTYLOOM_HOME)")
	cmd.Flags().StringVar(&s.database, "database", os.Getenv("ZESTYLOOM_DATABASE_URL"), "PostgreSQL to use; one of our own on loopback otherwise (ZESTYLOOM_DATABASE_URL)")
	cmd.Flags().StringVar(&s.group, "media-group", os.Getenv("ZESTYLOOM_MEDIA_GROUP"), "group of this machine whose members may read the media folder; others can't (ZESTYLOOM_MEDIA_GROUP)")
	cmd.Flags().StringVar(&s.logLevel, "log-level", envOr("ZESTYLOOM_LOG_LEVEL", "warn"), "what is logged: debug, info (a line for every request and job), warn or error (ZESTYLOOM_LOG_LEVEL)")
	cmd.Flags().DurationVar(&s.slow, "slow-statements", 500*time.Millisecond, "statements of the database that take longer are logged; 0 for none")
	cmd.Flags().StringVar(&s.profiles, "profiles", "", "loopback address to show profiles and variables of the process at (/debug/pprof/, /debug/vars), as in 127.0.0.1:6060; nowhere otherwise")
	cmd.Flags().StringVar(&s.shelf, "shelf", "", "folder of this machine that files can be taken in from; it is only read")
}

func (s *settings) listening(cmd *cobra.Command) {
	s.common(cmd)
	cmd.Flags().StringVar(&s.address, "listen", "127.0.0.1:"+envOr("PORT", "8080"), "loopback address to serve on (PORT)")
	cmd.Flags().StringVar(&s.lines, "lines", envOr("ZESTYLOOM_LINES", "127.0.0.1:5004"), "address and even port that the first stream of the outputs over the network is sent to, a machine's or a multicast group's; the others follow by twos (ZESTYLOOM_LINES)")
	cmd.Flags().StringVar(&s.deck, "deck", envOr("ZESTYLOOM_DECK", "http://127.0.0.1:8090"), "where the deck answers that is laid back onto (ZESTYLOOM_DECK)")
	cmd.Flags().IntVar(&s.scrub, "scrub", int(app.ScrubEvery/(24*time.Hour)), "days within which everything that is kept is read again, gently, and compared with what it was; 0 for never")
	cmd.Flags().BoolVar(&s.noWorker, "no-worker", false, "leave jobs to other processes (zestyloom worker)")
}

func envOr(key, otherwise string) string {
	if v := os.Getenv(key); v != "" {
		return v
	}
	return otherwise
}

func serveCommand() *cobra.Command {
	var s settings
	cmd := &cobra.Command{
		Use: "serve", Short: "Serve the application on this machine", Args: exactly(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error { return s.serve(cmd) },
	}
	s.listening(cmd)
	return cmd
}

func demoCommand() *cobra.Command {
	s := settings{seed: true}
	cmd := &cobra.Command{
		Use: "demo", Short: "Serve the application with the demonstration production, Lantern Ferry", Args: exactly(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error { return s.serve(cmd) },
	}
	s.listening(cmd)
	cmd.Flags().BoolVar(&s.reset, "reset", false, "remove everything and start from the seed again")
	return cmd
}

func workerCommand() *cobra.Command {
	var s settings
	cmd := &cobra.Command{
		Use: "worker", Short: "Work on jobs of an application that another process serves", Args: exactly(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			return s.with(cmd.Context(), func(a *app.App) error {
				s.log.Info("working")
				return jobs.Run(cmd.Context(), a, s.log, s.figures)
			})
		},
	}
	s.common(cmd)
	return cmd
}

func migrateCommand() *cobra.Command {
	var s settings
	cmd := &cobra.Command{
		Use: "migrate", Short: "Bring the database up to this version of the program", Args: exactly(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			return s.with(cmd.Context(), func(*app.App) error { return nil })
		},
	}
	s.common(cmd)
	return cmd
}

// watched begins to log and to count, and shows profiles where that is asked for.
func (s *settings) watched(ctx context.Context) error {
	level, err := observe.Level(s.logLevel)
	if err != nil {
		return UsageError{err}
	}
	s.log, s.figures = observe.Logger(os.Stderr, level), observe.NewFigures()
	if s.profiles == "" {
		return nil
	}
	if err := httpapi.Loopback(s.profiles); err != nil {
		return err
	}
	at, err := observe.Profiles(ctx, s.profiles)
	if err != nil {
		return err
	}
	s.log.Warn("profiles are shown", "at", fmt.Sprintf("http://%s/debug/pprof/", at))
	return nil
}

// serve runs until the context ends; then requests, jobs and the database are stopped in order.
func (s *settings) serve(cmd *cobra.Command) error {
	ctx, out := cmd.Context(), cmd.OutOrStdout()
	if err := httpapi.Loopback(s.address); err != nil {
		return err
	}
	listener, err := net.Listen("tcp", s.address)
	if err != nil {
		return fmt.Errorf("can't listen on %s: %w; set PORT to another port", s.address, err)
	}
	defer listener.Close()
	if s.seed && s.shelf == "" {
		s.shelf = filepath.Join(s.home, "lantern-ferry")
	}
	if s.reset {
		if err := s.wipe(); err != nil {
			return err
		}
	}
	if s.seed {
		if err := demo.Synthesise(s.shelf, func(what string) { fmt.Fprintln(out, what) }); err != nil {
			return err
		}
	}
	s.keep = true
	to, err := netip.ParseAddrPort(s.lines)
	if err != nil {
		return UsageError{fmt.Errorf("--lines %s: an address and a port were expected, as in 127.0.0.1:5004", s.lines)}
	}
	return s.with(ctx, func(a *app.App) error {
		log := s.log
		a.Lines.To, a.Lines.Deck.URL = to, strings.TrimRight(s.deck, "/")
		if err := a.ForgetLaybacks(ctx); err != nil {
			return err
		}
		defer a.StopLines()
		hub, watcher := httpapi.NewHub(), app.NewWatcher(a)
		handler, err := httpapi.New(httpapi.Options{App: a, Watcher: watcher, Hub: hub, Web: web.Dist(), Log: log, Figures: s.figures, Version: Version})
		if err != nil {
			return err
		}
		// Streams of events end with this context, so that shutting down does not wait for them.
		requests, endRequests := context.WithCancel(context.WithoutCancel(ctx))
		defer endRequests()
		background, stop := context.WithCancel(context.WithoutCancel(ctx))
		var running sync.WaitGroup
		defer running.Wait()
		defer stop()
		running.Go(func() { hub.Run(background, a.Store, log) })
		running.Go(func() {
			watcher.Run(background, func(err error) { log.Error("looking at the shelf", "error", err) })
		})
		running.Go(func() { tidy(background, a, log) })
		running.Go(func() { lookAfter(background, a, log) })
		if a.ScrubEvery = time.Duration(s.scrub) * 24 * time.Hour; a.ScrubEvery > 0 {
			running.Go(func() {
				a.RunScrub(background, a.ScrubEvery,
					func(found app.Scrubbed) { log.Error("not what it was", "what", found.Name, "error", found.Why) },
					func(err error) { log.Error("reading everything again", "error", err) })
			})
		}
		failed := make(chan error, 2)
		if !s.noWorker {
			running.Go(func() {
				if err := jobs.Run(background, a, log, s.figures); err != nil {
					failed <- fmt.Errorf("the worker stopped: %w", err)
				}
			})
		}
		srv := &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, BaseContext: func(net.Listener) context.Context { return requests }}
		go func() {
			if err := srv.Serve(listener); !errors.Is(err, http.ErrServerClosed) {
				failed <- err
			}
		}()
		if s.seed {
			if err := demo.Seed(ctx, a, s.shelf, func(what string) { fmt.Fprintln(out, what) }); err != nil {
				return err
			}
		}
		fmt.Fprintf(out, "Zesty Loom is at http://%s  (Ctrl-C stops it)\n", listener.Addr())
		select {
		case <-ctx.Done():
			fmt.Fprintln(out, "Stopping.")
		case err = <-failed:
		}
		endRequests()
		shut, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
		defer cancel()
		return errors.Join(err, srv.Shutdown(shut))
	})
}

// lookAfter looks each minute whether the originals are in their places.
func lookAfter(ctx context.Context, a *app.App, log *slog.Logger) {
	for ctx.Err() == nil {
		if err := a.LookForGone(ctx); err != nil && ctx.Err() == nil {
			log.Error("looking at the originals", "error", err)
		}
		select {
		case <-ctx.Done():
		case <-time.After(time.Minute):
		}
	}
}

// tidy compares the media folder with the database and removes productions whose time has come: at start and every
// minute.
func tidy(ctx context.Context, a *app.App, log *slog.Logger) {
	tick := time.NewTicker(time.Minute)
	defer tick.Stop()
	for {
		did, err := a.Sweep(ctx, app.StrayAge)
		if err != nil && ctx.Err() == nil {
			log.Error("comparing the media folder with the database", "error", err)
		}
		if did != (app.Swept{}) {
			log.Warn("the media folder was put in order", "uploads taken in", did.TakenIn, "put into found", did.Kept, "removed", did.Removed)
		}
		n, err := a.RemoveDue(ctx)
		if err != nil && ctx.Err() == nil {
			log.Error("removing productions", "error", err)
		}
		if n > 0 {
			log.Warn("removed for good", "productions", n)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// with opens the database and the media folder, and closes them after fn.
func (s *settings) with(ctx context.Context, fn func(*app.App) error) (err error) {
	// A page of takes is made of thousands of small things: the collector waits until they are worth its while, and is
	// its usual self in a process that holds much.
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(400)
	}
	if os.Getenv("GOMEMLIMIT") == "" {
		debug.SetMemoryLimit(512 << 20)
	}
	if err := s.watched(ctx); err != nil {
		return err
	}
	url := s.database
	var trouble func() string
	if url == "" {
		dir, err := s.clusterDir()
		if err != nil {
			return err
		}
		pg, err := pgserver.Start(ctx, pgserver.Options{Dir: dir, Keep: s.keep})
		if err != nil {
			return err
		}
		defer func() { err = errors.Join(err, pg.Stop()) }()
		if err := pg.CreateDatabase(ctx, "zestyloom"); err != nil {
			return err
		}
		url, trouble = pg.URL("zestyloom"), pg.Trouble
	}
	st, err := store.OpenTraced(ctx, url, observe.Statements{Figures: s.figures, Log: s.log, Slow: s.slow})
	if err != nil {
		return err
	}
	defer st.Close()
	s.figures.Gauge("database_connections", "Connections to the database that are in use.", func() float64 { return float64(st.Pool.Stat().AcquiredConns()) })
	if err := st.Migrate(ctx); err != nil {
		return err
	}
	folder, err := media.Open(filepath.Join(s.home, "media"))
	if err != nil {
		return err
	}
	if err := folder.CloseToOthers(s.group); err != nil {
		return err
	}
	queue, err := jobs.NewQueue(st, s.log)
	if err != nil {
		return err
	}
	key, err := keyfile.Open(filepath.Join(s.home, "keys", "signing.pem"))
	if err != nil {
		return err
	}
	a := &app.App{Store: st, Media: folder, Queue: queue, Now: time.Now, Trouble: trouble, Key: key}
	if s.shelf != "" {
		if a.Shelf, err = media.OpenShelf(s.shelf); err != nil {
			return fmt.Errorf("the shelf can't be opened: %w", err)
		}
	}
	if err := errors.Join(a.EnsureSpecs(ctx), a.WorkOutReadiness(ctx)); err != nil {
		return err
	}
	return fn(a)
}

// clusterDir is where our own database lives: in the home, unless this is root and the home lies in
// a folder that is closed to others. PostgreSQL won't run as root, so it must be able to get there.
func (s *settings) clusterDir() (string, error) {
	home, err := filepath.Abs(s.home)
	if err != nil || os.Geteuid() != 0 || openToAll(home) {
		return filepath.Join(home, "postgres"), err
	}
	sum := sha256.Sum256([]byte(home))
	return filepath.Join("/var/lib/zestyloom", hex.EncodeToString(sum[:6])), nil
}

// openToAll reports whether every folder on the way to dir, as far as it exists, lets everybody pass.
func openToAll(dir string) bool {
	for ; ; dir = filepath.Dir(dir) {
		if st, err := os.Stat(dir); err == nil && st.Mode()&0o001 == 0 {
			return false
		}
		if dir == filepath.Dir(dir) {
			return true
		}
	}
}

// wipe removes what a demonstration has made: its database and its media.
func (s *settings) wipe() error {
	if s.database != "" {
		return UsageError{errors.New("demo: a reset removes our own database only, and another was given: empty that one by its own means")}
	}
	dir, err := s.clusterDir()
	if err != nil {
		return err
	}
	if b, err := os.ReadFile(filepath.Join(dir, "cluster", "postmaster.pid")); err == nil {
		var pid int
		if _, err := fmt.Sscanf(string(b), "%d", &pid); err == nil {
			if _, err := os.Stat("/proc/" + strconv.Itoa(pid)); err == nil {
				return fmt.Errorf("the application seems to be running (PostgreSQL process %d): stop it before a reset", pid)
			}
		}
	}
	return errors.Join(os.RemoveAll(dir), os.RemoveAll(filepath.Join(s.home, "media")), os.RemoveAll(filepath.Join(s.home, "lantern-ferry")))
}
