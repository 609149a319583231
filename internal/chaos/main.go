// Command chaos runs the whole application, works with it as people do, and kills what it is made of at random
// moments: the server, an extra worker, PostgreSQL, single sessions of it; and fills its disk, and sets its clock. After each it looks
// whether anything that was acknowledged is missing, doubled or half done, and how long it took to be ready again. Then it changes, cuts
// off or removes an original or a delivered file behind the application's back, and looks whether that is said, of it alone.
//
//	go run ./internal/chaos [-rounds 20] [-seed 1] [-clock] bin/zestyloom
package main

import (
	"context"
	"flag"
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"golang.org/x/sys/unix"
)

func main() {
	rounds := flag.Int("rounds", 20, "how often something is killed")
	seed := flag.Uint64("seed", uint64(time.Now().UnixNano()), "of what is done when")
	clock := flag.Bool("clock", false, "set the machine's clock forward and back as well: for everything that runs on it, for some seconds")
	flag.Parse()
	if flag.NArg() != 1 {
		fmt.Fprintln(os.Stderr, "usage: chaos [-rounds N] [-seed N] PROGRAM")
		os.Exit(2)
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	fmt.Printf("chaos: %d rounds, seed %d\n", *rounds, *seed)
	t := tally{of: map[string]int{}}
	for t.rounds < *rounds { // some at a time, each on a disk of its own
		if err := run(ctx, flag.Arg(0), min(batch, *rounds-t.rounds), *seed+uint64(t.rounds), *clock, &t); err != nil {
			fmt.Printf("chaos: FAILED with seed %d after %d rounds: %v\n", *seed, t.rounds, err)
			os.Exit(1)
		}
	}
	var says []string
	for _, n := range slices.Sorted(maps.Keys(t.of)) {
		says = append(says, fmt.Sprintf("%s %d", n, t.of[n]))
	}
	fmt.Printf("chaos: %d rounds passed (%s), seed %d; ready after %.1f s at the slowest\n", t.rounds, strings.Join(says, ", "), *seed, t.slowest.Seconds())
	if t.slowest > 5*time.Second {
		fmt.Println("chaos: FAILED: it has to be ready within 5 s")
		os.Exit(1)
	}
}

// batch is how many rounds are done on one disk.
const batch = 15

// tally is what was done.
type tally struct {
	rounds  int
	of      map[string]int // by what was killed
	slowest time.Duration  // to be ready again
}

func run(ctx context.Context, program string, rounds int, seed uint64, clock bool, t *tally) (err error) {
	home, err := os.MkdirTemp("", "zestyloom-chaos-")
	if err != nil {
		return err
	}
	defer func() {
		if err == nil {
			os.RemoveAll(home)
		} else {
			fmt.Println("chaos: everything is left in", home)
		}
	}()
	if err := os.Chmod(home, 0o711); err != nil {
		return err
	}
	// A disk of its own, so that it can be filled.
	small := unix.Mount("tmpfs", home, "tmpfs", 0, "size=3g,mode=711") == nil
	if small {
		defer func() {
			if err == nil {
				err = unix.Unmount(home, 0)
			}
		}()
	} else {
		fmt.Println("chaos: no disk of its own can be mounted here (that takes root): it is not filled")
	}
	s := &system{program: program, home: home, rng: rand.New(rand.NewPCG(seed, 1))}
	if err := s.start(ctx); err != nil {
		return err
	}
	defer s.end()
	p, err := newPeople(ctx, s, seed)
	if err != nil {
		return err
	}
	events := map[string]func(context.Context) error{"the server": s.killServer, "the worker": s.killWorker, "PostgreSQL": s.killPostgres, "a session": s.killSession, "sessions in order": s.endSessions}
	if small {
		events["a full disk"] = s.fillDisk
	}
	if clock {
		events["the clock"] = s.jump
	}
	names := make([]string, 0, len(events))
	for n := range events {
		names = append(names, n)
	}
	slices.Sort(names)
	for range rounds {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		name := names[s.rng.IntN(len(names))]
		working, rest := context.WithCancel(ctx)
		go p.work(working)
		time.Sleep(time.Duration(200+s.rng.IntN(2500)) * time.Millisecond)
		began := time.Now()
		err := events[name](ctx)
		if err == nil {
			err = s.ready(ctx)
		}
		took := time.Since(began)
		rest()
		p.rest()
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		if name != "a full disk" && name != "the clock" { // these last as long as we let them
			t.slowest = max(t.slowest, took)
		}
		if err := p.settled(ctx); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		if err := p.look(ctx, filepath.Join(home, "media")); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		decays := time.Now()
		what, err := p.decay(ctx, filepath.Join(home, "media"))
		if err != nil {
			return fmt.Errorf("%s: %w", what, err)
		}
		fmt.Printf("chaos: %s: known for what it is, and well again once it was put back (%.1f s)\n", what, time.Since(decays).Seconds())
		t.rounds++
		t.of[name]++
		fmt.Printf("chaos: round %d, %s: ready after %.1f s; %s\n", t.rounds, name, took.Seconds(), p.says())
	}
	return nil
}
