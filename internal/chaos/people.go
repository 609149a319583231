package main

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"math/rand/v2"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"zestyloom/core/delivery"
	"zestyloom/internal/httpapi/contract"
)

// people work with the application over HTTP and remember what it acknowledged.
type people struct {
	s          *system
	production string
	reel       string
	specs      []string // their IDs: each order is for another
	strand     string   // whose label is typed over and over

	running sync.WaitGroup

	mu         sync.Mutex
	rng        *rand.Rand
	files      map[string][32]byte // by the ids that uploads were answered with: what was sent
	unfinished []*upload
	label      string   // acknowledged last
	maybe      []string // typed since, and not answered
	deliveries map[string]bool
	again      map[string]int // what had to be tried again by hand, by its code
}

// upload is one that may have been broken off.
type upload struct {
	name, at string
	body     []byte
}

func newPeople(ctx context.Context, s *system, seed uint64) (*people, error) {
	p := &people{s: s, rng: rand.New(rand.NewPCG(seed, 2)), files: map[string][32]byte{}, deliveries: map[string]bool{}, again: map[string]int{}}
	var made contract.Production
	if err := p.call(ctx, "POST", "/api/productions", map[string]any{"name": "Chaos", "timecode_rate": "25"}, &made); err != nil {
		return nil, err
	}
	p.production = made.Id.String()
	base := &upload{name: "base.wav", body: p.sound(1, 40)} // of one channel: nothing is asked about it
	for p.send(ctx, base) != nil && ctx.Err() == nil {
		time.Sleep(100 * time.Millisecond)
	}
	if err := p.settled(ctx); err != nil {
		return nil, err
	}
	var takes contract.TakePage
	if err := p.call(ctx, "GET", "/api/productions/"+p.production+"/takes", nil, &takes); err != nil {
		return nil, err
	}
	if len(takes.Items) != 1 {
		return nil, fmt.Errorf("%d takes of one file", len(takes.Items))
	}
	p.strand = takes.Items[0].Strands[0].Id.String()
	if err := p.cell(ctx, "stem", "DX"); err != nil {
		return nil, err
	}
	var reel contract.Reel
	if err := p.call(ctx, "GET", "/api/productions/"+p.production+"/reel", nil, &reel); err != nil {
		return nil, err
	}
	p.reel = reel.Id.String()
	if err := p.call(ctx, "POST", "/api/reels/"+p.reel+"/takes", map[string]any{"takes": []string{takes.Items[0].Id.String()}}, nil); err != nil {
		return nil, err
	}
	var specs []contract.Spec
	if err := p.call(ctx, "GET", "/api/specs", nil, &specs); err != nil {
		return nil, err
	}
	// What is made by a program that is started for it dies with the worker as well.
	wrapped := specs[0].Spec
	wrapped.Name = "In other containers"
	wrapped.Packings = []delivery.Packing{{ID: "poly", Says: "a file of each container"}}
	for _, name := range slices.Sorted(maps.Keys(delivery.Containers)) {
		kind := delivery.Containers[name]
		if kind.Needs { // a picture
			continue
		}
		rule := delivery.FileRule{Container: name, Name: "{reel}_" + name}
		if !slices.Contains(kind.Codings, wrapped.Coding) {
			rule.Coding = kind.Codings[0]
		}
		wrapped.Packings[0].Files = append(wrapped.Packings[0].Files, rule)
	}
	var kept contract.Spec
	if err := p.call(ctx, "POST", "/api/specs", wrapped, &kept); err != nil {
		return nil, err
	}
	p.specs = []string{specs[0].Id.String(), kept.Id.String()}
	return p, nil
}

// work uploads, types and orders until ctx ends.
func (p *people) work(ctx context.Context) {
	for _, do := range []func(context.Context){p.uploads, p.uploads, p.types, p.orders} {
		p.running.Go(func() {
			for ctx.Err() == nil {
				do(ctx)
			}
		})
	}
}

// rest waits until everybody has stopped, and ends the uploads that were broken off.
func (p *people) rest() { p.running.Wait() }

func (p *people) uploads(ctx context.Context) {
	p.mu.Lock()
	u := &upload{name: fmt.Sprintf("%08x take.wav", p.rng.Uint32()), body: p.sound(1+p.rng.IntN(6), 1+p.rng.IntN(3))}
	p.mu.Unlock()
	for ctx.Err() == nil {
		if p.send(ctx, u) == nil {
			return
		}
		wait(ctx, 100*time.Millisecond)
	}
	if u.at != "" {
		p.mu.Lock()
		p.unfinished = append(p.unfinished, u)
		p.mu.Unlock()
	}
}

// send goes on with an upload where the server says that it is, until it is answered with its file.
func (p *people) send(ctx context.Context, u *upload) error {
	meta := func(v string) string { return base64.StdEncoding.EncodeToString([]byte(v)) }
	if u.at == "" {
		resp, err := p.tus(ctx, "POST", p.s.url+"/api/uploads/", nil, map[string]string{
			"Upload-Length": strconv.Itoa(len(u.body)), "Upload-Metadata": "filename " + meta(u.name) + ",production " + meta(p.production)})
		if err != nil {
			return err
		}
		if resp.StatusCode != http.StatusCreated {
			return fmt.Errorf("an upload was answered by %d", resp.StatusCode)
		}
		u.at = resp.Header.Get("Location")
		if strings.HasPrefix(u.at, "/") {
			u.at = p.s.url + u.at
		}
	}
	resp, err := p.tus(ctx, "HEAD", u.at, nil, nil)
	if err != nil {
		return err
	}
	if resp.StatusCode == http.StatusOK {
		at, err := strconv.Atoi(resp.Header.Get("Upload-Offset"))
		if err != nil {
			return err
		}
		for resp.Header.Get("File-Id") == "" {
			end := min(len(u.body), at+256<<10)
			if resp, err = p.tus(ctx, "PATCH", u.at, bytes.NewReader(u.body[at:end]), map[string]string{"Upload-Offset": strconv.Itoa(at), "Content-Type": "application/offset+octet-stream"}); err != nil {
				return err
			}
			if resp.StatusCode != http.StatusNoContent {
				return fmt.Errorf("a piece was answered by %d", resp.StatusCode)
			}
			at = end
		}
		p.mu.Lock()
		p.files[resp.Header.Get("File-Id")] = sha256.Sum256(u.body)
		p.mu.Unlock()
		return nil
	}
	if resp.StatusCode == http.StatusNotFound { // its last answer was lost, and it is a file by now: looked at with all others
		return nil
	}
	return fmt.Errorf("an upload was answered by %d", resp.StatusCode)
}

func (p *people) types(ctx context.Context) {
	p.mu.Lock()
	label := fmt.Sprintf("label %d", p.rng.IntN(1e6))
	p.maybe = append(p.maybe, label)
	p.mu.Unlock()
	if p.cell(ctx, "label", label) == nil {
		p.mu.Lock()
		p.label, p.maybe = label, nil
		p.mu.Unlock()
	}
	wait(ctx, 20*time.Millisecond)
}

func (p *people) orders(ctx context.Context) {
	var d contract.Delivery
	p.mu.Lock()
	spec := p.specs[p.rng.IntN(len(p.specs))]
	p.mu.Unlock()
	if p.call(ctx, "POST", "/api/reels/"+p.reel+"/deliveries", map[string]any{"spec": spec, "packing": "poly", "accept": []string{"no_stem", "output_silent", "stem_not_out"}}, &d) == nil {
		p.mu.Lock()
		p.deliveries[d.Id.String()] = true
		p.mu.Unlock()
	}
	wait(ctx, 1500*time.Millisecond)
}

func (p *people) cell(ctx context.Context, field, value string) error {
	return p.call(ctx, "POST", "/api/productions/"+p.production+"/sheet", map[string]any{"what": "type", "cells": []any{map[string]any{"row": p.strand, "field": field, "value": value}}}, nil)
}

// call makes a request and reads what it answers.
func (p *people) call(ctx context.Context, method, path string, body, out any) error {
	var in io.Reader
	if body != nil {
		b, err := json.Marshal(body)
		if err != nil {
			return err
		}
		in = bytes.NewReader(b)
	}
	ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, method, p.s.url+path, in)
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	b, err := io.ReadAll(resp.Body)
	if err != nil {
		return err
	}
	if resp.StatusCode >= 300 {
		return fmt.Errorf("%s %s: %d %s", method, path, resp.StatusCode, b)
	}
	if out == nil {
		return nil
	}
	return json.Unmarshal(b, out)
}

func (p *people) tus(ctx context.Context, method, url string, body io.Reader, head map[string]string) (*http.Response, error) {
	ctx, cancel := context.WithTimeout(ctx, 20*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, method, url, body)
	if err != nil {
		return nil, err
	}
	req.Header.Set("Tus-Resumable", "1.0.0")
	for k, v := range head {
		req.Header.Set(k, v)
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return nil, err
	}
	_, err = io.Copy(io.Discard, resp.Body)
	return resp, errors.Join(err, resp.Body.Close())
}

// sound is a WAV of noise that is nowhere else.
func (p *people) sound(channels, seconds int) []byte {
	n := channels * seconds * 48000 * 2
	b := append([]byte("RIFF\x00\x00\x00\x00WAVEfmt \x10\x00\x00\x00\x01\x00"), byte(channels), 0, 0x80, 0xbb, 0, 0)
	b = binary.LittleEndian.AppendUint32(b, uint32(channels*96000))
	b = append(b, byte(channels*2), 0, 16, 0, 'd', 'a', 't', 'a')
	b = binary.LittleEndian.AppendUint32(b, uint32(n))
	for range n / 2 {
		b = binary.LittleEndian.AppendUint16(b, uint16(p.rng.IntN(4000)-2000))
	}
	binary.LittleEndian.PutUint32(b[4:], uint32(len(b)-8))
	return b
}

func wait(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}
