package cli

import (
	"context"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"zestyloom/core/picture"
	"zestyloom/core/snag"
	"zestyloom/core/source"
	"zestyloom/internal/media"
)

// openSound opens a sound file, or the sound of a file with pictures from a copy that is made for it. info is
// what such a file holds, nil for others; done closes it.
func openSound(ctx context.Context, path string) (src *source.Source, info *picture.Info, done func(), err error) {
	src, err = source.Open(path)
	if err == nil {
		return src, nil, func() { src.Close() }, nil
	}
	if snag.Of(err).Code != "picture_file" {
		return nil, nil, nil, err
	}
	if info, err = picture.Probe(ctx, path); err != nil {
		return nil, nil, nil, err
	}
	tmp, err := os.MkdirTemp("", "zestyloom-*")
	if err != nil {
		return nil, nil, nil, err
	}
	undo := func() { os.RemoveAll(tmp) }
	sound := filepath.Join(tmp, "sound.wav")
	snags, err := info.WriteSound(ctx, path, sound, tmp)
	if err == nil {
		src, err = source.Open(sound)
	}
	if err != nil {
		undo()
		return nil, nil, nil, err
	}
	src.Container, src.Snags = info.Container, append(src.Snags, snags...)
	return src, info, func() {
		src.Close()
		undo()
	}, nil
}

// recordings lists the files that the arguments name: files as they are, folders with all recordings in them and
// below, by name. Folders and files whose names begin with a point are passed over.
func recordings(args []string) ([]string, error) {
	var out []string
	for _, arg := range args {
		st, err := os.Stat(arg)
		if err != nil || !st.IsDir() {
			out = append(out, arg) // opening it says what is wrong
			continue
		}
		err = filepath.WalkDir(arg, func(path string, d fs.DirEntry, err error) error {
			switch {
			case err != nil:
				return err
			case strings.HasPrefix(d.Name(), ".") && path != arg:
				if d.IsDir() {
					return fs.SkipDir
				}
			case d.Type().IsRegular() && slices.Contains(media.Recordings, strings.ToLower(filepath.Ext(path))):
				out = append(out, path)
			}
			return nil
		})
		if err != nil {
			return nil, snag.Refuse("no_folder", "the folder %s can't be read: %w", arg, err)
		}
	}
	return out, nil
}
