// Package machine is the deck itself: what receives, shows and records, and its page.
package machine

import (
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"zestyloom/core/line"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
	"zestyloom/core/wholefile"
	"zestyloom/internal/deck"
)

// Deck receives, shows and records.
type Deck struct {
	dir string
	now func() time.Time

	mu       sync.Mutex // of all below
	session  line.Session
	inputs   []*input
	at       int64     // place behind what came last
	came     time.Time // when that was
	refused  string
	rec      *recorder
	ending   *time.Timer // until late packets are not waited for any more
	done     []deck.Recording
	bound    sync.WaitGroup
	watching *watching
}

// input is a stream that is listened for.
type input struct {
	stream line.Stream
	conn   *net.UDPConn
	in     *line.Receiver
}

const (
	// stopped is after how long without a packet nothing is coming any more.
	stopped = 300 * time.Millisecond
	// grace is how long late packets are waited for once all streams are past the end of a recording.
	grace = 200 * time.Millisecond
	// room asked for in the system for packets that wait to be read.
	room = 8 << 20
)

// New makes a deck whose recordings are in a folder. What a deck was recording that was killed is finished with what had come of it.
func New(dir string) (*Deck, error) {
	if err := wholefile.EnsureFolder(dir); err != nil {
		return nil, err
	}
	d := &Deck{dir: dir, now: time.Now}
	entries, err := os.ReadDir(dir)
	if err != nil {
		return nil, err
	}
	said := func(name, why string) {
		id := strings.TrimSuffix(strings.TrimSuffix(name, partsSuffix), ".json")
		d.done = append(d.done, deck.Recording{Order: deck.Order{Name: id}, ID: id, State: "failed", Error: why, File: id + ".wav", Gaps: []line.Gap{}, GapsSayAt: []string{}})
	}
	for _, e := range entries {
		switch name := e.Name(); {
		case strings.HasSuffix(name, partsSuffix):
			r, there, err := takeUp(dir, name)
			if err != nil { // nothing of it is thrown away
				said(name, fmt.Sprintf("what was recorded of it can't be read (%v): it is kept as it is in %s", err, name))
				continue
			}
			if there { // in place of what it had said of itself, which was read right before: names are in order
				d.done = slices.DeleteFunc(d.done, func(x deck.Recording) bool { return x.ID == r.ID })
				d.done = append(d.done, r)
			}
		case strings.HasSuffix(name, ".json"):
			b, err := os.ReadFile(filepath.Join(dir, name))
			var r deck.Recording
			if err == nil {
				err = json.Unmarshal(b, &r)
			}
			if err != nil { // as a full disk leaves it
				said(name, fmt.Sprintf("what it says of itself could not be read (%v) and was put aside as %s.broken; its sound, where there is any, is untouched", err, name))
				if err := os.Rename(filepath.Join(dir, name), filepath.Join(dir, name+".broken")); err != nil {
					return nil, err
				}
				continue
			}
			d.done = append(d.done, r)
		}
	}
	return d, nil
}

// Listen listens for the streams of a session from now on, in place of those before. What was being recorded ends.
func (d *Deck) Listen(s line.Session) error {
	d.mu.Lock()
	d.hangUp()
	d.mu.Unlock()
	d.bound.Wait()
	d.mu.Lock()
	defer d.mu.Unlock()
	d.session, d.at, d.refused, d.watching = s, 0, "", watch(s)
	for i, st := range s.Streams {
		conn, err := open(st.To())
		if err != nil {
			d.hangUp()
			return snag.Refuse("no_stream", "%s can't be listened to at %s: %w", st, st.To(), err)
		}
		_ = Widen(conn, room)
		in := &input{stream: st, conn: conn, in: line.NewReceiver(st)}
		d.inputs = append(d.inputs, in)
		d.bound.Go(func() { d.receive(i, in) })
	}
	return nil
}

// open binds a socket to where a stream is sent to, and joins its group where that is one.
func open(at netip.AddrPort) (*net.UDPConn, error) {
	if at.Addr().IsMulticast() {
		return net.ListenMulticastUDP("udp", nil, net.UDPAddrFromAddrPort(at))
	}
	return net.ListenUDP("udp", net.UDPAddrFromAddrPort(at))
}

// hangUp ends what is listened to. The lock is held.
func (d *Deck) hangUp() {
	if d.rec != nil {
		d.end()
	}
	for _, in := range d.inputs {
		in.conn.Close()
	}
	d.inputs = nil
	if d.watching != nil {
		d.watching.close()
		d.watching = nil
	}
}

// Close ends everything; a recording is finished with what has come of it.
func (d *Deck) Close() {
	d.mu.Lock()
	d.hangUp()
	d.mu.Unlock()
	d.bound.Wait()
}

// receive takes packets in until its socket is closed.
func (d *Deck) receive(i int, in *input) {
	buffer := make([]byte, 64<<10)
	for {
		n, from, err := in.conn.ReadFromUDPAddrPort(buffer)
		if errors.Is(err, net.ErrClosed) {
			return
		}
		if err != nil {
			d.mu.Lock()
			d.refused = err.Error()
			d.mu.Unlock()
			continue
		}
		d.mu.Lock()
		d.arrive(i, in, buffer[:n], from.Addr())
		d.mu.Unlock()
	}
}

func (d *Deck) arrive(i int, in *input, packet []byte, from netip.Addr) {
	in.in.Held = d.rec != nil && d.rec.State == "recording"
	a, err := in.in.Accept(packet, from, d.now())
	if errors.Is(err, line.ErrStranger) && d.rec != nil {
		d.rec.Strangers++
	}
	if err != nil {
		d.refused = fmt.Sprintf("%s: %v", in.stream, err)
		return
	}
	if a == nil {
		return
	}
	if !a.Late {
		d.at, d.came = a.At+int64(a.Frames), d.now()
	}
	if d.rec != nil {
		past, err := d.rec.put(i, a)
		if err != nil {
			d.rec.Error = err.Error()
			d.end()
		} else if past && d.ending == nil {
			r := d.rec
			d.ending = time.AfterFunc(grace, func() {
				d.mu.Lock()
				defer d.mu.Unlock()
				if d.rec == r {
					d.end()
				}
			})
		}
	}
	if d.watching != nil {
		d.watching.add(i, a)
	}
}

// Record begins a recording, from one place of the clock to another.
func (d *Deck) Record(o deck.Order) (deck.Recording, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.rec != nil {
		return deck.Recording{}, snag.Refuse("busy", "%s is being recorded: end it first", d.rec.Name)
	}
	var labels []string
	for _, s := range d.session.Streams {
		labels = append(labels, s.Channels...)
	}
	if len(labels) == 0 {
		return deck.Recording{}, snag.Refuse("no_stream", "nothing is listened for: give the deck a session description first")
	}
	if o.From < 0 || o.To <= o.From || o.To-o.From > longest {
		return deck.Recording{}, snag.Refuse("bad_range", "from %d to %d can't be recorded: up to a day, its end after its beginning, was expected", o.From, o.To)
	}
	if len(o.Channels) == 0 {
		for i := range labels {
			o.Channels = append(o.Channels, i+1)
		}
	}
	r := deck.Recording{Order: o, State: "waiting", Rate: d.session.Rate.String(), Gaps: []line.Gap{}, GapsSayAt: []string{}}
	for i, c := range o.Channels {
		if c < 1 || c > len(labels) || i > 0 && c <= o.Channels[i-1] {
			return deck.Recording{}, snag.Refuse("no_such_channel", "channel %d can't be recorded there: channels 1 to %d, in order, were expected", c, len(labels))
		}
		r.Labels = append(r.Labels, labels[c-1])
	}
	r.FromSays, r.ToSays = d.session.Rate.FormatSamples(o.From, line.Rate), d.session.Rate.FormatSamples(o.To, line.Rate)
	r.ID = d.now().UTC().Format("20060102-150405.000")
	r.ID = strings.ReplaceAll(r.ID, ".", "-")
	for slices.ContainsFunc(d.done, func(x deck.Recording) bool { return x.ID == r.ID }) {
		r.ID += "b"
	}
	r.File = r.ID + ".wav"
	rec, err := begin(d.dir, r, d.session)
	if err != nil {
		return deck.Recording{}, err
	}
	d.ending, d.rec = nil, rec
	return r, nil
}

// longest is that of a recording, in samples.
const longest = 24 * 3600 * line.Rate

// End ends what is being recorded, with what has come of it.
func (d *Deck) End() {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.rec != nil {
		d.end()
	}
}

func (d *Deck) end() {
	r := d.rec
	d.rec = nil
	if d.ending != nil {
		d.ending.Stop()
		d.ending = nil
	}
	// Its file is made while streams go on: it takes a while where it is long.
	r.State = "writing"
	d.done = append(d.done, r.Recording)
	i := len(d.done) - 1
	d.bound.Go(func() {
		err := r.finish()
		if err != nil {
			r.State, r.Error = "failed", err.Error()
		}
		d.mu.Lock()
		defer d.mu.Unlock()
		d.done[i] = r.Recording
	})
}

// Recordings are all that were made, and the one that is being made, the newest first.
func (d *Deck) Recordings() []deck.Recording {
	d.mu.Lock()
	defer d.mu.Unlock()
	out := slices.Clone(d.done)
	if d.rec != nil {
		out = append(out, d.rec.Recording)
	}
	slices.Reverse(out)
	return out
}

// Recording finds one.
func (d *Deck) Recording(id string) (deck.Recording, error) {
	all := d.Recordings()
	i := slices.IndexFunc(all, func(r deck.Recording) bool { return r.ID == id })
	if i < 0 {
		return deck.Recording{}, snag.Refuse("not_found", "there is no recording %q", id)
	}
	return all[i], nil
}

// counted is the rate that timecode counts in: 25 as long as no session says. The lock is held.
func (d *Deck) counted() timecode.Rate {
	if d.session.Rate.Zero() {
		return timecode.Rate{Num: 25, Den: 1}
	}
	return d.session.Rate
}

// State is what it shows now.
func (d *Deck) State() deck.State {
	d.mu.Lock()
	defer d.mu.Unlock()
	rate := d.counted()
	s := deck.State{Name: d.session.Name, Rate: rate.String(), At: d.at, Timecode: rate.FormatSamples(d.at, line.Rate), Running: len(d.inputs) > 0 && d.now().Sub(d.came) < stopped, Streams: []deck.Stream{}, Channels: []deck.Channel{}, Refused: d.refused}
	for _, in := range d.inputs {
		s.Streams = append(s.Streams, deck.Stream{Says: in.stream.String(), Port: in.stream.Port, Counts: in.in.Counts})
	}
	if d.rec != nil {
		s.Recording = d.rec.Name
	}
	if d.watching != nil {
		d.watching.read(&s)
	}
	return s
}
