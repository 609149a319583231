package media

import (
	"encoding/binary"
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"time"

	"github.com/google/uuid"
)

// Upload is an upload as its info file, which tusd keeps beside the bytes, says.
type Upload struct {
	ID         string
	Path       string // of its bytes
	Size       int64  // that it is to have
	Name       string // of the file
	Production string
	File       uuid.UUID // that it is to become: the same however often that is tried
	info       string
	originals  string
}

// fileID is the UUIDv7 (RFC 9562) of the file that an upload becomes: of when it began, and of its own id where others
// are random.
func fileID(upload string, began time.Time) uuid.UUID {
	id := uuid.NewSHA1(uuid.NameSpaceOID, []byte("upload "+upload))
	ms := uint64(began.UnixMilli())
	binary.BigEndian.PutUint16(id[0:], uint16(ms>>32))
	binary.BigEndian.PutUint32(id[2:], uint32(ms))
	id[6] = 0x70 | id[6]&0x0F
	return id
}

// uploadID is how tusd names uploads, with room for how others might.
var uploadID = regexp.MustCompile(`^[A-Za-z0-9_-]{1,64}$`)

// UploadID reports whether a name can be that of an upload: no path, nothing that a file system would refuse.
func UploadID(id string) bool { return uploadID.MatchString(id) }

// Upload reads what is known of an upload. It is fs.ErrNotExist when there is none.
func (f *Folder) Upload(id string) (Upload, error) {
	u := Upload{ID: id, Path: filepath.Join(f.Uploads(), id), info: filepath.Join(f.Uploads(), id+".info"), originals: filepath.Join(f.root, Originals)}
	if !UploadID(id) {
		return u, fs.ErrNotExist
	}
	b, err := os.ReadFile(u.info)
	if err != nil {
		return u, err
	}
	st, err := os.Stat(u.info) // written once, when the upload begins
	if err != nil {
		return u, err
	}
	u.File = fileID(id, st.ModTime())
	return u, u.read(b)
}

// read takes over what a browser has said of an upload, as it is kept beside the bytes.
func (u *Upload) read(b []byte) error {
	var said struct {
		Size     int64
		MetaData map[string]string
	}
	err := json.Unmarshal(b, &said)
	u.Size, u.Name, u.Production = said.Size, said.MetaData["filename"], said.MetaData["production"]
	return err
}

// Whole reports whether all of its bytes are here.
func (u Upload) Whole() bool {
	st, err := os.Stat(u.Path)
	return err == nil && st.Size() == u.Size
}

// There reports whether its bytes are still here, with the uploads or in the place that it was given.
func (u Upload) There() bool {
	_, err := os.Stat(u.Path)
	return err == nil || u.adopted() != ""
}

// adopted is the place that its bytes have been given, empty when they have none.
func (u Upload) adopted() string {
	all, err := os.ReadDir(filepath.Join(u.originals, u.File.String()))
	for _, e := range all {
		info, err := e.Info()
		if err == nil && info.Mode().IsRegular() && info.Size() == u.Size && !strings.HasPrefix(e.Name(), ".") {
			return filepath.Join(u.originals, u.File.String(), e.Name())
		}
	}
	_ = err // no such folder: it has none
	return ""
}

// Forget removes an upload that is over, and what describes it.
func (u Upload) Forget() error {
	return errors.Join(Forget(u.Path), Forget(u.info))
}

// Coming is how many bytes of uploads that have begun are still to come.
func (f *Folder) Coming() (bytes int64, err error) {
	infos, err := filepath.Glob(filepath.Join(f.Uploads(), "*.info"))
	for _, path := range infos {
		u, e := f.Upload(strings.TrimSuffix(filepath.Base(path), ".info"))
		if e != nil {
			continue
		}
		if st, e := os.Stat(u.Path); e == nil {
			bytes += max(0, u.Size-st.Size())
		}
	}
	return bytes, err
}

// WholeUploads lists the uploads of which every byte is here.
func (f *Folder) WholeUploads() (out []Upload, err error) {
	infos, err := filepath.Glob(filepath.Join(f.Uploads(), "*.info"))
	if err != nil {
		return nil, err
	}
	for _, path := range infos {
		u, err := f.Upload(strings.TrimSuffix(filepath.Base(path), ".info"))
		if err == nil && (u.Whole() || u.adopted() != "") {
			out = append(out, u)
		}
	}
	return out, nil
}
