package app_test

import (
	"encoding/binary"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/google/uuid"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/core/audio"
	"zestyloom/core/edit"
	"zestyloom/core/reel"
	"zestyloom/core/spatial"
	"zestyloom/core/wave"
	"zestyloom/core/weave"
	"zestyloom/internal/testmedia"
)

// objects is a file of another program with two objects that each stand by themselves, and a channel that says nothing.
func objects(t *testing.T) []byte {
	t.Helper()
	text := `<frame version="ITU-R_BS.2076-2"><audioFormatExtended>`
	chna := []byte{2, 0, 2, 0}
	for i, o := range []struct{ name, azimuth, elevation, distance, gain string }{{"Gull", "45", "10", "0.75", "-3"}, {"Bell", "-120", "0", "1", "0"}} {
		text += fmt.Sprintf(`<audioObject audioObjectID="AO_100%[1]d" audioObjectName="%[2]s"><audioTrackUIDRef>ATU_0000000%[1]d</audioTrackUIDRef></audioObject>`+
			`<audioPackFormat audioPackFormatID="AP_0003100%[1]d" audioPackFormatName="p" typeLabel="0003"><audioChannelFormatIDRef>AC_0003100%[1]d</audioChannelFormatIDRef></audioPackFormat>`+
			`<audioChannelFormat audioChannelFormatID="AC_0003100%[1]d" audioChannelFormatName="c" typeLabel="0003"><audioBlockFormat><position coordinate="azimuth">%[3]s</position>`+
			`<position coordinate="elevation">%[4]s</position><position coordinate="distance">%[5]s</position><gain gainUnit="dB">%[6]s</gain></audioBlockFormat></audioChannelFormat>`,
			i+1, o.name, o.azimuth, o.elevation, o.distance, o.gain)
		entry := make([]byte, 40)
		binary.LittleEndian.PutUint16(entry, uint16(i+1))
		copy(entry[2:], fmt.Sprintf("ATU_0000000%d", i+1))
		copy(entry[14:], fmt.Sprintf("AC_0003100%d_00", i+1))
		copy(entry[28:], fmt.Sprintf("AP_0003100%d", i+1))
		chna = append(chna, entry...)
	}
	text += `</audioFormatExtended></frame>`
	path := filepath.Join(t.TempDir(), "objects.wav")
	sound := make([][]float64, 3)
	for c := range sound {
		sound[c] = make([]float64, 4800)
		for i := range sound[c] {
			sound[c][i] = 0.1 * float64((i*(c+3))%17-8) / 8
		}
	}
	testmedia.WriteAs(t, path, wave.Options{
		Format: wave.Format{Coding: audio.S24, Channels: 3, SampleRate: 48000}, Container: wave.BW64,
		Extra: []wave.RawChunk{{ID: "chna", Data: chna}, {ID: "axml", Data: []byte(text)}},
	}, sound...)
	b, err := os.ReadFile(path)
	require.NoError(t, err)
	return b
}

// Objects of another program's file are laid on tracks that stand where they did, as loud as they were, and are sent there into a stem that has
// room around it, at once or later; into a stereo stem as any other.
func TestObjectsAreLaidWhereTheyStand(t *testing.T) {
	f := setup(t)
	f.takeBytes(objects(t), "objects.wav")
	tk := f.takes()[0]
	st := f.strands(tk)
	require.Equal(t, []string{"Gull", "Bell"}, []string{st[0].Label, st[1].Label})
	r, err := f.Store.ReelOf(f.ctx, f.p.ID)
	require.NoError(t, err)
	room := weave.Bus{Name: "Room", Role: weave.Stem, Kind: "FX", Layout: "7.1.4"}
	_, err = f.EditReel(f.ctx, r.ID, r.Version, "a stem", []edit.Action{{Weave: &edit.Reweave{Change: weave.Change{AddBus: &weave.AddBus{Bus: room}}}}})
	require.NoError(t, err)
	require.NoError(t, f.edit(cell(st[0].ID, "stem", "Room")))
	r, err = edited(f.LayTakes(f.ctx, r.ID, []uuid.UUID{tk.ID}, false))
	require.NoError(t, err)
	track := func(label string) (reel.Track, weave.Send) {
		now, err := f.Store.Reel(f.ctx, r.ID)
		require.NoError(t, err)
		for _, tr := range now.Doc.Tracks {
			if tr.Label == label {
				s, _ := now.Doc.Weave.Send(tr.ID)
				return tr, s
			}
		}
		t.Fatalf("there is no track %s", label)
		return reel.Track{}, weave.Send{}
	}
	gull, sent := track("Gull")
	at := spatial.Position{Azimuth: 45, Elevation: 10, Inward: 0.25}
	assert.Equal(t, &at, gull.Place)
	assert.Equal(t, -3.0, gull.GainDB)
	assert.Equal(t, weave.Placed, sent.Patch.Preset)
	assert.Equal(t, []weave.Place{{Position: at}}, sent.Patch.Places)
	bell, sent := track("Bell")
	assert.Equal(t, &spatial.Position{Azimuth: -120}, bell.Place)
	assert.Empty(t, sent.To)
	// It gets its stem in Takes afterwards.
	require.NoError(t, f.edit(cell(st[1].ID, "stem", "Room")))
	_, sent = track("Bell")
	assert.Equal(t, weave.Placed, sent.Patch.Preset)
	assert.Equal(t, -120.0, sent.Patch.Places[0].Azimuth)
	other, _ := track("objects 3")
	assert.Nil(t, other.Place)

	// Without room around it, it is sent as any other.
	f2 := setup(t)
	f2.takeBytes(objects(t), "objects.wav")
	tk = f2.takes()[0]
	require.NoError(t, f2.edit(cell(f2.strands(tk)[0].ID, "stem", "FX")))
	r, err = f2.Store.ReelOf(f2.ctx, f2.p.ID)
	require.NoError(t, err)
	r, err = edited(f2.LayTakes(f2.ctx, r.ID, []uuid.UUID{tk.ID}, false))
	require.NoError(t, err)
	s, ok := r.Doc.Weave.Send(r.Doc.Tracks[0].ID)
	require.True(t, ok)
	assert.Equal(t, weave.Both, s.Patch.Preset)
	assert.Equal(t, &at, r.Doc.Tracks[0].Place, "it is known for later")
}
