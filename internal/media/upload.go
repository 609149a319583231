package media

import (
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

// Upload is an upload as its info file, which tusd keeps beside the bytes, says.
type Upload struct {
	ID         string
	Path       string // of its bytes
	Size       int64  // that it is to have
	Name       string // of the file
	Production string
	info       string
}

// Upload reads what is known of an upload. It is fs.ErrNotExist when there is none.
func (f *Folder) Upload(id string) (Upload, error) {
	u := Upload{ID: id, Path: filepath.Join(f.Uploads(), id), info: filepath.Join(f.Uploads(), id+".info")}
	if id != filepath.Base(id) || strings.HasPrefix(id, ".") {
		return u, fs.ErrNotExist
	}
	b, err := os.ReadFile(u.info)
	if err != nil {
		return u, err
	}
	var said struct {
		Size     int64
		MetaData map[string]string
	}
	if err := json.Unmarshal(b, &said); err != nil {
		return u, err
	}
	u.Size, u.Name, u.Production = said.Size, said.MetaData["filename"], said.MetaData["production"]
	return u, nil
}

// Whole reports whether all of its bytes are here.
func (u Upload) Whole() bool {
	st, err := os.Stat(u.Path)
	return err == nil && st.Size() == u.Size
}

// There reports whether its bytes are still with the uploads.
func (u Upload) There() bool {
	_, err := os.Stat(u.Path)
	return err == nil
}

// Forget removes what describes an upload that is over.
func (u Upload) Forget() error {
	if err := os.Remove(u.info); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	return nil
}

// WholeUploads lists the uploads of which every byte is here.
func (f *Folder) WholeUploads() (out []Upload, err error) {
	infos, err := filepath.Glob(filepath.Join(f.Uploads(), "*.info"))
	if err != nil {
		return nil, err
	}
	for _, path := range infos {
		u, err := f.Upload(strings.TrimSuffix(filepath.Base(path), ".info"))
		if err == nil && u.Whole() {
			out = append(out, u)
		}
	}
	return out, nil
}
