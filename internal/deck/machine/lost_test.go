package machine_test

import (
	"context"
	"net"
	"os"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/line"
	"zestyloom/core/snag"
	"zestyloom/internal/deck"
)

// A recording is of one sender: packets of another, sent to the same ports while it is made, are counted, said and not in it; nor does
// one that lies beyond the end close it.
func TestNobodyElseIsRecorded(t *testing.T) {
	s := session(t, 2)
	d, c := start(t, t.TempDir())
	announce(t, c, s)
	r, err := c.Record(context.Background(), deck.Order{Name: "ours", From: 48000, To: 48000 + 24000})
	require.NoError(t, err)
	send(t, s, 2, 48000, 48000+9600)
	require.Eventually(t, func() bool { return d.State().Streams[0].Packets == 200 }, 5*time.Second, 10*time.Millisecond)

	conn, err := net.DialUDP("udp", nil, net.UDPAddrFromAddrPort(s.Streams[0].To()))
	require.NoError(t, err)
	defer conn.Close()
	noise := audio.NewBlock(2, line.PacketFrames)
	for i := range noise[0] {
		noise[0][i], noise[1][i] = 0.5, -0.5
	}
	stranger := line.NewPacker(s.Streams[0], 666, 1)
	for _, at := range []int64{48000, 48048, 52800, 10_000_000} { // over what was recorded, and beyond the end
		p, err := stranger.Pack(nil, noise, 0, at)
		require.NoError(t, err)
		_, err = conn.Write(p)
		require.NoError(t, err)
	}
	require.Eventually(t, func() bool { return d.State().Streams[0].Strangers == 4 }, 5*time.Second, 10*time.Millisecond)
	assert.Contains(t, d.State().Refused, "not from the source")
	send(t, s, 2, 48000+9600, 48000+24000+4800)
	r = done(t, c, r.ID)
	assert.EqualValues(t, 4, r.Strangers)
	assert.Empty(t, r.Gaps)
	assert.Empty(t, compare(t, c, r, []int{1, 2}).Differences(), "it is what was sent")
}

// small is a disk of so many MiB.
func small(t *testing.T, mib string) string {
	t.Helper()
	dir := t.TempDir()
	if err := syscall.Mount("tmpfs", dir, "tmpfs", 0, "size="+mib+"m"); err != nil {
		t.Skipf("no small disk can be made here (%v): what a full one does is not tried", err)
	}
	t.Cleanup(func() { assert.NoError(t, syscall.Unmount(dir, syscall.MNT_DETACH)) })
	return dir
}

// Room is there before a recording begins; where it is gone when its file is to be made, nothing that was recorded is lost: it is
// finished once there is room again.
func TestAFullDisk(t *testing.T) {
	dir := small(t, "8")
	s := session(t, 2)
	d, c := start(t, dir)
	announce(t, c, s)
	_, err := c.Record(context.Background(), deck.Order{Name: "a day", From: 0, To: 24 * 3600 * line.Rate})
	assert.Equal(t, "disk_full", snag.Of(err).Code, "%v", err)
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Empty(t, left)

	r, err := c.Record(context.Background(), deck.Order{Name: "ours", From: 0, To: 10 * line.Rate})
	require.NoError(t, err)
	send(t, s, 2, 0, 24000)
	require.Eventually(t, func() bool { return d.State().Streams[0].Packets == 500 }, 5*time.Second, 10*time.Millisecond)
	filler := filepath.Join(dir, "others")
	_ = os.WriteFile(filler, make([]byte, 7<<20), 0o600) // as much as fits
	send(t, s, 2, 24000, 48000)
	require.Eventually(t, func() bool { return d.State().Streams[0].Packets == 1000 }, 5*time.Second, 10*time.Millisecond)
	require.NoError(t, c.End(context.Background()))
	require.Eventually(t, func() bool { return d.Recordings()[0].State == "failed" }, 10*time.Second, 10*time.Millisecond)
	assert.Contains(t, d.Recordings()[0].Error, "is kept in "+r.ID+".parts")
	assert.NoFileExists(t, filepath.Join(dir, r.File), "no file that is half of one")
	require.NoError(t, os.Remove(filler))
	again, client := start(t, dir)
	got := again.Recordings()[0]
	require.Equal(t, "done", got.State, got.Error)
	assert.Equal(t, []line.Gap{{Span: line.Span{From: 48000, To: 480000}, First: 1, Last: 2}}, got.Gaps)
	assert.Empty(t, compare(t, client, got, []int{1, 2}).Differences())
	assert.NoDirExists(t, filepath.Join(dir, r.ID+".parts"))
}

// What a recording says of itself may be broken: it is put aside and said, and keeps the deck from nothing.
func TestABrokenDescription(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "20260314-221000-000.json"), nil, 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "20260314-221000-000.wav"), []byte("RIFF"), 0o600))
	d, _ := start(t, dir)
	require.Len(t, d.Recordings(), 1)
	assert.Equal(t, "failed", d.Recordings()[0].State)
	assert.Contains(t, d.Recordings()[0].Error, "put aside as 20260314-221000-000.json.broken")
	assert.FileExists(t, filepath.Join(dir, "20260314-221000-000.json.broken"))
	assert.FileExists(t, filepath.Join(dir, "20260314-221000-000.wav"))
	d, _ = start(t, dir)
	assert.Empty(t, d.Recordings(), "once it is put aside it is not spoken of again")
}
