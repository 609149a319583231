package picture

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"io"
	"os"
	"strings"

	"zestyloom/core/snag"
)

// Headset says how a picture is to be seen with a headset: by the boxes st3d and sv3d of the open metadata for spherical video,
// version 2, in the description of the picture of an MP4 or QuickTime file.
type Headset struct {
	// Stereo is how the pictures of both eyes share a frame: of Stereos; empty where nothing says so.
	Stereo string `json:"stereo,omitempty"`
	// Projection is how the sphere is laid on the frame: of Projections; empty where nothing says that it is one.
	Projection string `json:"projection,omitempty"`
	// Bounds are what the frame leaves out of the sphere, at the top, the bottom, left and right, in parts of 2^32 of it: an
	// equirectangular picture of 180 degrees leaves out a quarter left and one right.
	Bounds [4]uint32 `json:"bounds,omitzero"`
	// Pose is how the sphere is turned, yaw, pitch and roll, in parts of 2^16 of a degree.
	Pose [3]int32 `json:"pose,omitzero"`

	boxes []byte // as they stood in the file, to be kept as they are
}

// Stereos are the ways in which two pictures share a frame, by the number that st3d has for them.
var Stereos = []string{"one_picture", "over_under", "side_by_side"}

// Projections of a sphere, as sv3d has them.
var Projections = []string{"equirectangular", "cubemap", "mesh"}

// quarter of a sphere is what a picture of 180 degrees leaves out on either side.
const quarter = 1 << 30

// maxHeadset bounds the boxes that are kept: a mesh is the largest.
const maxHeadset = 4 << 20

// Seen is the mark for a picture of so many degrees, 180 or 360, equirectangular, or 0 for a flat one.
func Seen(degrees int, stereo string) Headset {
	h := Headset{Stereo: stereo}
	if degrees > 0 {
		h.Projection = "equirectangular"
	}
	if degrees == 180 {
		h.Bounds = [4]uint32{0, 0, quarter, quarter}
	}
	return h
}

// Degrees is how far an equirectangular picture reaches around: 360, 180, or what its bounds leave; 0 for any other.
func (h Headset) Degrees() float64 {
	if h.Projection != "equirectangular" {
		return 0
	}
	return 360 * (1 - (float64(h.Bounds[2])+float64(h.Bounds[3]))/(1<<32))
}

// Same reports whether two say the same.
func (h Headset) Same(o Headset) bool {
	flat := func(s string) string {
		if s == Stereos[0] {
			return "" // one picture is what one has that says nothing
		}
		return s
	}
	return flat(h.Stereo) == flat(o.Stereo) && h.Projection == o.Projection && h.Bounds == o.Bounds && h.Pose == o.Pose
}

// SameBoxes reports whether the boxes of two that were read are the same, byte for byte.
func (h Headset) SameBoxes(o Headset) bool { return bytes.Equal(h.boxes, o.boxes) }

// String is it in words.
func (h Headset) String() string {
	var words []string
	switch h.Projection {
	case "equirectangular":
		words = append(words, fmt.Sprintf("%.4g° equirectangular", h.Degrees()))
		if h.Bounds[0] > 0 || h.Bounds[1] > 0 {
			words[0] += " without its top or bottom"
		}
	case "cubemap":
		words = append(words, "360° on a cube")
	case "mesh":
		words = append(words, "on a mesh")
	}
	if h.Pose != [3]int32{} {
		words = append(words, fmt.Sprintf("turned by %g°, %g°, %g°", float64(h.Pose[0])/65536, float64(h.Pose[1])/65536, float64(h.Pose[2])/65536))
	}
	switch h.Stereo {
	case "over_under":
		words = append(words, "both eyes one over the other")
	case "side_by_side":
		words = append(words, "both eyes side by side")
	default:
		words = append(words, "one picture for both eyes")
	}
	return strings.Join(words, ", ")
}

// marks are the boxes that say it: as they stood where it was read, else made anew.
func (h Headset) marks() []byte {
	if h.boxes != nil {
		return h.boxes
	}
	var out []byte
	for n, s := range Stereos {
		if h.Stereo == s {
			out = append(out, box("st3d", fields(uint32(0), uint8(n)))...)
		}
	}
	if h.Projection == "equirectangular" {
		out = append(out, box("sv3d",
			box("svhd", fields(uint32(0)), []byte("zestyloom\x00")),
			box("proj", box("prhd", fields(uint32(0), h.Pose)), box("equi", fields(uint32(0), h.Bounds))))...)
	}
	return out
}

// pictureFields is how many bytes of fields an entry of a picture has before its boxes (ISO/IEC 14496-12, 12.1.3).
const pictureFields = 78

// headsetOf reads what the description of a picture says, nil for nothing, and where boxes in it end.
func headsetOf(r io.ReaderAt, entry atom) (*Headset, int64, error) {
	end := entry.inner + pictureFields
	inside, err := atoms(r, end, entry.ends)
	if err != nil {
		return nil, entry.ends, nil //nolint:nilerr // what else stands there is none of ours
	}
	var h *Headset
	for _, a := range inside {
		end = a.ends
		if a.kind != "st3d" && a.kind != "sv3d" {
			continue
		}
		if h == nil {
			h = &Headset{}
		}
		if a.ends-a.at > maxHeadset {
			return nil, end, badHeadset("a %s of %d bytes", a.kind, a.ends-a.at)
		}
		b := make([]byte, a.ends-a.at)
		if _, err := r.ReadAt(b, a.at); err != nil {
			return nil, end, err
		}
		h.boxes = append(h.boxes, b...)
		read := h.readStereo
		if a.kind == "sv3d" {
			read = h.readSphere
		}
		if err := read(b[a.inner-a.at:]); err != nil {
			return nil, end, err
		}
	}
	return h, end, nil
}

func badHeadset(format string, args ...any) error {
	return snag.Refuse("bad_headset", "the marks of a picture for headsets (st3d, sv3d) can't be read: "+format, args...)
}

func (h *Headset) readStereo(b []byte) error {
	if len(b) < 5 || b[0] != 0 || int(b[4]) >= len(Stereos) {
		return badHeadset("st3d is of a kind that is not known: one picture, over and under, or side by side is expected")
	}
	h.Stereo = Stereos[b[4]]
	return nil
}

func (h *Headset) readSphere(b []byte) error {
	r := bytes.NewReader(b)
	inside, err := atoms(r, 0, int64(len(b)))
	if err != nil {
		return badHeadset("sv3d: %w", err)
	}
	proj, ok := first(inside, "proj")
	if !ok {
		return badHeadset("sv3d has no projection (proj)")
	}
	parts, err := atoms(r, proj.inner, proj.ends)
	if err != nil {
		return badHeadset("proj: %w", err)
	}
	for _, a := range parts {
		in := b[a.inner:a.ends]
		word := func(n int) uint32 { return binary.BigEndian.Uint32(in[4+4*n:]) }
		switch {
		case a.kind == "prhd" && len(in) >= 16:
			h.Pose = [3]int32{int32(word(0)), int32(word(1)), int32(word(2))}
		case a.kind == "equi" && len(in) >= 20:
			h.Projection, h.Bounds = Projections[0], [4]uint32{word(0), word(1), word(2), word(3)}
			if uint64(h.Bounds[0])+uint64(h.Bounds[1]) >= 1<<32 || uint64(h.Bounds[2])+uint64(h.Bounds[3]) >= 1<<32 {
				return badHeadset("the bounds of the projection (equi) leave nothing of it")
			}
		case a.kind == "cbmp" && len(in) >= 12:
			h.Projection = Projections[1]
		case a.kind == "mshp" || a.kind == "mesh":
			h.Projection = Projections[2]
		case a.kind == "prhd" || a.kind == "equi" || a.kind == "cbmp":
			return badHeadset("%s is cut short", a.kind)
		}
	}
	if h.Projection == "" {
		return badHeadset("proj has no projection that is known")
	}
	return nil
}

// ReadHeadset reads how the picture of a MOV or MP4 is seen with a headset; nil where nothing says so.
func ReadHeadset(path string) (*Headset, error) {
	f, way, _, h, err := openHeadset(path, os.O_RDONLY)
	if err != nil || way == nil {
		return nil, err
	}
	return h, f.Close()
}

// markHeadset says of the picture of a MOV or MP4 how it is seen, where it does not say so yet.
func markHeadset(path string, h Headset) error {
	f, way, at, is, err := openHeadset(path, os.O_RDWR)
	if err != nil {
		return err
	}
	if way == nil {
		return snag.Refuse("no_picture", "there is no picture to mark")
	}
	defer f.Close()
	if is != nil {
		if is.Same(h) {
			return nil
		}
		return snag.Refuse("bad_headset", "the picture is marked already: %s", is)
	}
	return putBoxes(f, way, at, h.marks())
}

// openHeadset opens a file and finds the description of its picture; the file is closed where there is none.
func openHeadset(path string, flag int) (f *os.File, way []atom, at int64, h *Headset, err error) {
	if f, err = os.OpenFile(path, flag, 0); err != nil {
		return nil, nil, 0, nil, err
	}
	defer func() {
		if err != nil || way == nil {
			f.Close()
		}
	}()
	st, err := f.Stat()
	if err != nil {
		return nil, nil, 0, nil, err
	}
	ways, err := entryWays(f, st.Size(), pictureTrack)
	if err != nil || len(ways) == 0 {
		return nil, nil, 0, nil, err
	}
	h, at, err = headsetOf(f, ways[0][6])
	return f, ways[0], at, h, err
}
