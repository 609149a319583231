package cli

import (
	"fmt"
	"io"
	"os"
	"strings"
	"sync"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"
)

// progress shows how far long work is: on a terminal, from its first second on, with the rate and the time
// that is left.
type progress struct {
	out     io.Writer // nil when nobody would see it
	what    string
	now     func() time.Time
	mu      sync.Mutex
	begun   time.Time
	shownAt time.Time
	wide    int
}

// newProgress shows on standard error where that is a terminal.
func newProgress(cmd *cobra.Command, what string) *progress {
	p := &progress{what: what, now: time.Now}
	if f, ok := cmd.ErrOrStderr().(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		p.out = f
	}
	p.begun = p.now()
	return p
}

// at tells that done of total frames are done, at a sample rate where that says how fast it is.
func (p *progress) at(done, total int64, sampleRate int) {
	if p.out == nil || total <= 0 {
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	now := p.now()
	spent := now.Sub(p.begun)
	if spent < time.Second || now.Sub(p.shownAt) < 200*time.Millisecond {
		return
	}
	p.shownAt = now
	line := fmt.Sprintf("%s: %d %%", p.what, 100*done/total)
	if sampleRate > 0 {
		line += fmt.Sprintf(", %.0f times real time", float64(done)/float64(sampleRate)/spent.Seconds())
	}
	if done > 0 {
		left := time.Duration(float64(spent) * float64(total-done) / float64(done))
		line += ", " + left.Round(time.Second).String() + " left"
	}
	pad := max(0, p.wide-len(line))
	p.wide = len(line)
	fmt.Fprintf(p.out, "\r%s%s", line, strings.Repeat(" ", pad))
}

// end takes the line away.
func (p *progress) end() {
	if p.out != nil && p.wide > 0 {
		fmt.Fprintf(p.out, "\r%s\r", strings.Repeat(" ", p.wide))
		p.wide = 0
	}
}
