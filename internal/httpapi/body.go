package httpapi

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/gin-gonic/gin"
	"golang.org/x/sync/semaphore"

	"zestyloom/core/timecode"
)

// Bounds of a request's body. An operation may have more bytes (x-body-limit in the contract): lists, documents.
const (
	plainBody  = 1 << 20
	mostValues = 250_000 // of JSON, each of which costs about a hundred bytes once it is decoded, however short it is
	mostDepth  = 64
)

// Bounds of all bodies together that are here or being worked on. Who comes when they are used up waits, and is told so when that
// takes long.
const (
	allBytes  = 48 << 20
	allValues = 2 * mostValues
	bodyWait  = 10 * time.Second
)

// bodies shares out what all bodies together may take.
type bodies struct{ bytes, values *semaphore.Weighted }

func newBodies() *bodies {
	return &bodies{semaphore.NewWeighted(allBytes), semaphore.NewWeighted(allValues)}
}

// bodyLimit is how many bytes an operation's body may have.
func bodyLimit(op *openapi3.Operation) (int64, error) {
	v, ok := op.Extensions["x-body-limit"]
	if !ok {
		return plainBody, nil
	}
	n, ok := v.(float64)
	if !ok || n < plainBody || n > maxBody {
		return 0, fmt.Errorf("httpapi: %s: x-body-limit is %v", op.OperationID, v)
	}
	return int64(n), nil
}

// errBusy says that others' bodies took all there is for too long.
var errBusy = errors.New("many large requests are being worked on just now: try again")

// body is a request's body that has been read: as it came, and taken apart.
type body struct {
	raw     []byte
	value   any
	release func() // to be called when the request has been answered
}

// take reads and takes apart the JSON of a request. Errors are *http.MaxBytesError, errBusy, or say what of it is not allowed.
func (b *bodies) take(c *gin.Context, limit int64) (out body, err error) {
	var held, values int64
	release := func() {
		b.bytes.Release(held)
		b.values.Release(values)
	}
	defer func() {
		if err != nil {
			release()
		}
	}()
	wait, cancel := context.WithTimeout(c.Request.Context(), bodyWait)
	defer cancel()
	want := limit
	if n := c.Request.ContentLength; n >= 0 {
		want = min(n, limit)
	}
	if err := b.bytes.Acquire(wait, want); err != nil {
		return out, errBusy
	}
	held = want
	raw, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, limit))
	if err != nil {
		return out, err
	}
	d := decoder{Decoder: json.NewDecoder(bytes.NewReader(raw))}
	d.UseNumber()
	value, err := d.value(0)
	if err != nil {
		return out, err
	}
	if _, err := d.Token(); !errors.Is(err, io.EOF) {
		return out, errors.New("more follows the body's JSON")
	}
	if err := b.values.Acquire(wait, d.values); err != nil {
		return out, errBusy
	}
	values = d.values
	return body{raw, value, release}, nil
}

// decoder takes JSON apart, and goes no further than what is allowed: in how many values there are, in how deep they lie, and in
// whole numbers that no position can be.
type decoder struct {
	*json.Decoder
	values int64
}

func (d *decoder) value(depth int) (any, error) {
	t, err := d.Token()
	if err != nil {
		return nil, fmt.Errorf("the body is no JSON: %w", err)
	}
	if d.values++; d.values > mostValues {
		return nil, fmt.Errorf("the body holds more than %d values: send less at once", mostValues)
	}
	if depth > mostDepth {
		return nil, fmt.Errorf("the body is nested more than %d deep", mostDepth)
	}
	switch t := t.(type) {
	case json.Number:
		return t, inRange(string(t))
	case json.Delim:
		if t == '[' {
			return d.array(depth + 1)
		}
		return d.object(depth + 1)
	}
	return t, nil
}

func (d *decoder) array(depth int) (any, error) {
	out := []any{}
	for d.More() {
		v, err := d.value(depth)
		if err != nil {
			return nil, err
		}
		out = append(out, v)
	}
	return out, d.end()
}

func (d *decoder) object(depth int) (any, error) {
	out := map[string]any{}
	for d.More() {
		name, err := d.Token()
		if err != nil {
			return nil, fmt.Errorf("the body is no JSON: %w", err)
		}
		if out[name.(string)], err = d.value(depth); err != nil {
			return nil, err
		}
	}
	return out, d.end()
}

func (d *decoder) end() error {
	if _, err := d.Token(); err != nil {
		return fmt.Errorf("the body is no JSON: %w", err)
	}
	return nil
}

// inRange refuses a whole number that no position, length or count can be.
func inRange(number string) error {
	if strings.ContainsAny(number, ".eE") {
		return nil // not whole: what takes it has a range of its own
	}
	n, err := strconv.ParseInt(number, 10, 64)
	if err != nil || n > timecode.MostSamples || n < -timecode.MostSamples {
		return fmt.Errorf("the number %.40s is beyond every position (%d at most)", number, int64(timecode.MostSamples))
	}
	return nil
}

// queryInRange looks at the numbers of a query.
func queryInRange(r *http.Request) error {
	for name, all := range r.URL.Query() {
		for _, v := range all {
			digits := strings.TrimPrefix(v, "-")
			if len(digits) < 14 || strings.Trim(digits, "0123456789") != "" {
				continue
			}
			if err := inRange(v); err != nil {
				return fmt.Errorf("%s: %w", name, err)
			}
		}
	}
	return nil
}
