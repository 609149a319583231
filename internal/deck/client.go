package deck

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"

	"zestyloom/core/snag"
)

// Client talks to a deck.
type Client struct {
	// URL is where it answers, without a slash at its end.
	URL string
}

// answers is how long it may take to answer.
const answers = 5 * time.Second

// Announce tells it what is going to be sent, as SDP.
func (c Client) Announce(ctx context.Context, sdp []byte) error {
	return c.ask(ctx, http.MethodPut, "/session", "application/sdp", sdp, nil)
}

// Record asks for a recording.
func (c Client) Record(ctx context.Context, o Order) (r Recording, err error) {
	b, err := json.Marshal(o)
	if err != nil {
		return r, err
	}
	return r, c.ask(ctx, http.MethodPost, "/recordings", "application/json", b, &r)
}

// End ends what is being recorded.
func (c Client) End(ctx context.Context) error {
	return c.ask(ctx, http.MethodPost, "/recordings/end", "application/json", []byte("{}"), nil)
}

// Recording finds one.
func (c Client) Recording(ctx context.Context, id string) (r Recording, err error) {
	return r, c.ask(ctx, http.MethodGet, "/recordings/"+url.PathEscape(id), "", nil, &r)
}

// State is what it shows.
func (c Client) State(ctx context.Context) (s State, err error) {
	return s, c.ask(ctx, http.MethodGet, "/state", "", nil, &s)
}

// Fetch writes a recording's WAV file to w.
func (c Client) Fetch(ctx context.Context, r Recording, w io.Writer) error {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.URL+"/recordings/"+url.PathEscape(r.ID)+"/sound", nil)
	if err != nil {
		return err
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return c.away(err)
	}
	defer resp.Body.Close()
	if resp.StatusCode != http.StatusOK {
		return fmt.Errorf("the deck answered %s for the sound of %s", resp.Status, r.Name)
	}
	_, err = io.Copy(w, resp.Body)
	return err
}

func (c Client) away(err error) error {
	return snag.Refuse("no_deck", "no deck answers at %s: start one (zestyloom deck), or say where one is (--deck): %w", c.URL, err)
}

func (c Client) ask(ctx context.Context, method, path, kind string, body []byte, into any) error {
	ctx, cancel := context.WithTimeout(ctx, answers)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, method, c.URL+path, bytes.NewReader(body))
	if err != nil {
		return err
	}
	if kind != "" {
		req.Header.Set("Content-Type", kind)
	}
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return c.away(err)
	}
	defer resp.Body.Close()
	const most = 64 << 20
	b, err := io.ReadAll(io.LimitReader(resp.Body, most))
	if err != nil {
		return c.away(err)
	}
	if resp.StatusCode >= 400 {
		var r snag.Refusal
		if json.Unmarshal(b, &r) == nil && r.Code != "" {
			return snag.Refuse(r.Code, "the deck: %s", r.Message)
		}
		return snag.Refuse("no_deck", "the deck at %s answered %s: %s", c.URL, resp.Status, strings.TrimSpace(string(b[:min(len(b), 200)])))
	}
	if into == nil {
		return nil
	}
	return json.Unmarshal(b, into)
}
