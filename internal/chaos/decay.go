package main

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"slices"

	"zestyloom/internal/httpapi/contract"
)

// decay has something happen to an original or to a delivered file that nobody did through the application, knows what must be said
// then, and puts it back.
func (p *people) decay(ctx context.Context, media string) (what string, err error) {
	files, err := p.allFiles(ctx)
	if err != nil {
		return "", err
	}
	f := files[p.rng.IntN(len(files))]
	originals, _ := filepath.Glob(filepath.Join(media, "originals", f.Id.String(), "*"))
	delivered, _ := filepath.Glob(filepath.Join(media, "deliveries", "*", "*", "*"))
	path, delivery := originals[0], ""
	if len(delivered) > 0 && p.rng.IntN(2) == 0 {
		path = delivered[p.rng.IntN(len(delivered))]
		delivery = filepath.Base(filepath.Dir(filepath.Dir(path)))
	}
	way, put, err := p.spoil(path)
	if err != nil {
		return way, err
	}
	name := filepath.Base(path)
	what = name + " " + way
	if err := p.scrubbed(ctx, 3); err != nil {
		return what, err
	}
	code := "source_changed"
	if way == "removed" {
		code = "source_gone"
	}
	if err := p.said(ctx, f.Id.String(), code, delivery); err != nil {
		return what, fmt.Errorf("%s: %w", what, err)
	}
	if err := put(); err != nil {
		return what, err
	}
	if err := p.scrubbed(ctx, 0); err != nil {
		return what, fmt.Errorf("%s, and put back: %w", what, err)
	}
	return what, p.said(ctx, "", "", "")
}

// spoil does something to a file, and gives what puts it back as it was.
func (p *people) spoil(path string) (way string, put func() error, err error) {
	whole, err := os.ReadFile(path)
	if err != nil {
		return "", nil, err
	}
	st, err := os.Stat(path)
	if err != nil {
		return "", nil, err
	}
	put = func() error {
		_ = os.Remove(path)
		return errors.Join(os.WriteFile(path, whole, st.Mode().Perm()), os.Chtimes(path, st.ModTime(), st.ModTime()))
	}
	other := bytes.Clone(whole)
	switch p.rng.IntN(4) {
	case 0:
		return "removed", put, os.Remove(path)
	case 1:
		way, other = "cut off", other[:p.rng.IntN(len(other))]
	case 2:
		way, other = "longer", append(other, 0)
	default:
		way = "with other bytes"
		other[p.rng.IntN(len(other))] ^= 1 << p.rng.IntN(8)
	}
	_ = os.Remove(path) // it may be read-only, and other names of it are not meant
	err = os.WriteFile(path, other, st.Mode().Perm())
	if p.rng.IntN(2) == 0 {
		way += ", as old as before"
		err = errors.Join(err, os.Chtimes(path, st.ModTime(), st.ModTime()))
	}
	return way, put, err
}

// scrubbed has everything read by the command, which must end with a status.
func (p *people) scrubbed(ctx context.Context, status int) error {
	cmd, err := p.s.command("scrub")
	if err != nil {
		return err
	}
	out, err := cmd.Output()
	var exit *exec.ExitError
	got := 0
	if errors.As(err, &exit) {
		got = exit.ExitCode()
	} else if err != nil {
		return err
	}
	if got != status {
		return fmt.Errorf("scrub ended with %d and not %d: %s", got, status, out)
	}
	return ctx.Err()
}

// said looks whether what is amiss is said of a file, or of a delivery, and of nothing else; nothing is amiss where code is empty.
func (p *people) said(ctx context.Context, file, code, delivery string) error {
	files, err := p.allFiles(ctx)
	if err != nil {
		return err
	}
	for _, f := range files {
		lost := ""
		for _, s := range f.Snags {
			if s.Code == "source_changed" || s.Code == "source_gone" {
				lost = s.Code
			}
		}
		want := ""
		if delivery == "" && f.Id.String() == file {
			want = code
		}
		if lost != want {
			return fmt.Errorf("%s is said to be %q and not %q", f.Name, lost, want)
		}
	}
	all, err := p.ordered(ctx)
	if err != nil {
		return err
	}
	for _, d := range all {
		if bad := d.Damaged != nil; bad != (d.Id.String() == delivery) {
			return fmt.Errorf("the delivery %s is said to be damaged: %v", d.Id, bad)
		}
	}
	if delivery == "" {
		return nil
	}
	i := slices.IndexFunc(all, func(d contract.Delivery) bool { return d.Id.String() == delivery })
	whole := 0
	for n := range all[i].Files {
		resp, err := http.Get(fmt.Sprintf("%s/api/deliveries/%s/files/%d", p.s.url, delivery, n))
		if err != nil {
			continue
		}
		if _, err := io.Copy(io.Discard, resp.Body); err == nil && resp.StatusCode == http.StatusOK {
			whole++
		}
		resp.Body.Close()
	}
	if whole == len(all[i].Files) {
		return fmt.Errorf("every file of the delivery %s was given out whole", delivery)
	}
	return nil
}
