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

// take reads the body of a request into memory, looks at it, and puts it in the place of the stream; release must be called when
// the request has been answered. Errors are *http.MaxBytesError, errBusy, or say what of it is not allowed.
func (b *bodies) take(c *gin.Context, limit int64) (release func(), err error) {
	var held, values int64
	release = func() {
		b.bytes.Release(held)
		b.values.Release(values)
	}
	defer func() {
		if err != nil {
			release()
			release = func() {}
		}
	}()
	body := c.Request.Body
	if body == nil || body == http.NoBody {
		return release, nil
	}
	wait, cancel := context.WithTimeout(c.Request.Context(), bodyWait)
	defer cancel()
	want := limit
	if n := c.Request.ContentLength; n >= 0 {
		want = min(n, limit)
	}
	if err := b.bytes.Acquire(wait, want); err != nil {
		return release, errBusy
	}
	held = want
	raw, err := io.ReadAll(http.MaxBytesReader(c.Writer, body, limit))
	if err != nil {
		return release, err
	}
	c.Request.Body = io.NopCloser(bytes.NewReader(raw))
	if !strings.Contains(c.ContentType(), "json") {
		return release, nil
	}
	n, err := scan(raw)
	if err != nil {
		return release, err
	}
	if err := b.values.Acquire(wait, n); err != nil {
		return release, errBusy
	}
	values = n
	return release, nil
}

// scan goes through JSON without keeping any of it: how many values there are, how deep, and whether whole numbers lie in what a
// position can be. That it is JSON at all is left to who decodes it.
func scan(raw []byte) (values int64, err error) {
	d := json.NewDecoder(bytes.NewReader(raw))
	d.UseNumber()
	for depth := 0; ; {
		t, err := d.Token()
		if err != nil {
			return max(1, values), nil //nolint:nilerr // whoever decodes it says so
		}
		if values++; values > mostValues {
			return 0, fmt.Errorf("the body holds more than %d values: send less at once", mostValues)
		}
		switch t := t.(type) {
		case json.Delim:
			if t == '[' || t == '{' {
				depth++
			} else {
				depth--
			}
			if depth > mostDepth {
				return 0, fmt.Errorf("the body is nested more than %d deep", mostDepth)
			}
		case json.Number:
			if err := inRange(string(t)); err != nil {
				return 0, err
			}
		}
	}
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
