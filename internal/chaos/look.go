package main

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/cespare/xxhash/v2"

	"zestyloom/core/delivery"
	"zestyloom/core/order"
	"zestyloom/internal/httpapi/contract"
)

func (p *people) says() string {
	p.mu.Lock()
	defer p.mu.Unlock()
	out := fmt.Sprintf("%d files and %d deliveries acknowledged", len(p.files), len(p.deliveries))
	for code, n := range p.again {
		out += fmt.Sprintf("; tried again after %s: %d", code, n)
	}
	return out
}

func (p *people) allFiles(ctx context.Context) (all []contract.File, err error) {
	after := ""
	for {
		var page contract.FilePage
		path := "/api/productions/" + p.production + "/files?limit=200"
		if after != "" {
			path += "&after=" + after
		}
		if err := p.call(ctx, "GET", path, nil, &page); err != nil {
			return nil, err
		}
		all = append(all, page.Items...)
		if after = page.Next; after == "" {
			return all, nil
		}
	}
}

func (p *people) ordered(ctx context.Context) (all []contract.Delivery, err error) {
	p.mu.Lock()
	ids := make([]string, 0, len(p.deliveries))
	for id := range p.deliveries {
		ids = append(ids, id)
	}
	p.mu.Unlock()
	for _, id := range ids {
		var d contract.Delivery
		if err := p.call(ctx, "GET", "/api/deliveries/"+id, nil, &d); err != nil {
			return nil, err
		}
		all = append(all, d)
	}
	return all, nil
}

// settled waits until all work has ended by itself. What says that the disk was full, or that workers died over it, is
// tried again, as a person would.
func (p *people) settled(ctx context.Context) error {
	last := ""
	for deadline := time.Now().Add(3 * time.Minute); time.Now().Before(deadline); wait(ctx, 200*time.Millisecond) {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		p.mu.Lock()
		left := p.unfinished
		p.unfinished = nil
		p.mu.Unlock()
		for _, u := range left {
			if err := p.send(ctx, u); err != nil {
				p.mu.Lock()
				p.unfinished = append(p.unfinished, u)
				p.mu.Unlock()
			}
		}
		busy, err := p.busy(ctx)
		if err != nil {
			last = err.Error()
			continue
		}
		if len(busy) == 0 && len(p.unfinished) == 0 {
			return nil
		}
		last = strings.Join(busy, ", ")
		if n := len(p.unfinished); n > 0 {
			last += fmt.Sprintf(", %d uploads are not whole", n)
		}
	}
	return fmt.Errorf("after three minutes not all work has ended: %s", last)
}

func (p *people) busy(ctx context.Context) (busy []string, err error) {
	files, err := p.allFiles(ctx)
	if err != nil {
		return nil, err
	}
	retry := func(path, code string) error {
		if code != "disk_full" && code != "worker_died" {
			return nil
		}
		p.mu.Lock()
		p.again[code]++
		p.mu.Unlock()
		return p.call(ctx, "POST", path, nil, nil)
	}
	for _, f := range files {
		switch f.State {
		case "waiting", "analysing":
			busy = append(busy, f.Name+" is "+string(f.State))
		case "refused":
			busy = append(busy, f.Name+" was refused: "+f.Error.Message)
			err = errors.Join(err, retry("/api/files/"+f.Id.String()+"/retry", f.Error.Code))
		}
	}
	ds, e := p.ordered(ctx)
	for _, d := range ds {
		switch d.State {
		case "proven":
		case "failed":
			busy = append(busy, "a delivery failed: "+d.Error.Message)
			err = errors.Join(err, retry("/api/orders/"+d.Id.String()+"/retry", d.Error.Code))
		default:
			busy = append(busy, "a delivery is "+string(d.State))
		}
	}
	return busy, errors.Join(err, e)
}

// look compares what was acknowledged with what is there, by what the server says and on the disk.
func (p *people) look(ctx context.Context, media string) error {
	files, err := p.allFiles(ctx)
	if err != nil {
		return err
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	rows, content := map[string]bool{}, map[[32]byte]string{}
	for _, f := range files {
		id := f.Id.String()
		rows[id] = true
		paths, _ := filepath.Glob(filepath.Join(media, "originals", id, "*"))
		if len(paths) != 1 {
			return fmt.Errorf("%s (%s) has %d originals", f.Name, id, len(paths))
		}
		b, err := os.ReadFile(paths[0])
		if err != nil {
			return err
		}
		sum := sha256.Sum256(b)
		if want, ok := p.files[id]; ok && want != sum {
			return fmt.Errorf("%s is not what was sent", f.Name)
		}
		if other, ok := content[sum]; ok {
			return fmt.Errorf("%s is there twice, as %s and %s", f.Name, other, id)
		}
		content[sum] = id
	}
	for id := range p.files {
		if !rows[id] {
			return fmt.Errorf("the file %s was acknowledged and is missing", id)
		}
	}
	var takes contract.TakePage
	if err := p.call(ctx, "GET", "/api/productions/"+p.production+"/takes?limit=500", nil, &takes); err != nil {
		return err
	}
	if takes.Total != len(files) {
		return fmt.Errorf("%d files are %d takes", len(files), takes.Total)
	}
	for _, t := range takes.Items {
		for _, s := range t.Strands {
			if s.Id.String() == p.strand && s.Label != p.label && !slices.Contains(p.maybe, s.Label) {
				return fmt.Errorf("the label %q was acknowledged and is %q", p.label, s.Label)
			}
		}
	}
	if err := p.lookAtDeliveries(ctx, media); err != nil {
		return err
	}
	// Nothing half-written, and nothing that no row speaks of.
	return filepath.WalkDir(media, func(path string, e fs.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		rel, _ := filepath.Rel(media, path)
		parts := strings.Split(rel, string(filepath.Separator))
		switch {
		case parts[0] == "found":
			return fmt.Errorf("%s was left over", rel)
		case parts[0] == "uploads" && !strings.HasSuffix(rel, ".lock"):
			if st, err := e.Info(); err == nil && time.Since(st.ModTime()) > 5*time.Minute {
				return fmt.Errorf("%s is left of an upload", rel)
			}
		case parts[0] == "originals" && !rows[parts[1]], parts[0] == "summaries" && strings.HasSuffix(rel, ".zlwf") && !rows[strings.TrimSuffix(parts[1], ".zlwf")]:
			return fmt.Errorf("%s belongs to nothing", rel)
		case parts[0] == "deliveries" && strings.Contains(rel, ".part"):
			return fmt.Errorf("%s is half written, and nobody writes it", rel)
		}
		return nil
	})
}

func (p *people) lookAtDeliveries(ctx context.Context, media string) error {
	for id := range p.deliveries {
		var d contract.Delivery
		if err := p.call(ctx, "GET", "/api/deliveries/"+id, nil, &d); err != nil {
			return err
		}
		if d.State != order.Proven || d.Proof == nil || !d.Proof.Passed {
			return fmt.Errorf("the delivery %s is %s", id, d.State)
		}
		paths, _ := filepath.Glob(filepath.Join(media, "deliveries", id, "*", "*"))
		if len(paths) != len(d.Proof.Files) {
			return fmt.Errorf("the delivery %s has %d files of %d", id, len(paths), len(d.Proof.Files))
		}
		for _, path := range paths {
			b, err := os.ReadFile(path)
			if err != nil {
				return err
			}
			i := slices.IndexFunc(d.Proof.Files, func(f delivery.FileProof) bool { return f.Name == filepath.Base(path) })
			if sum := fmt.Sprintf("%016x", xxhash.Sum64(b)); i < 0 || sum != d.Proof.Files[i].Hash {
				return fmt.Errorf("%s is not what was proven", path)
			}
		}
	}
	return nil
}
