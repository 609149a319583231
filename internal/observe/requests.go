package observe

import (
	"cmp"
	"context"
	"crypto/rand"
	"log/slog"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
)

// RequestHeader carries the name of a request, under which the log has it.
const RequestHeader = "Zesty-Request"

type requestKey struct{}

// Request is the name of the request that a context is of, "" outside of one.
func Request(ctx context.Context) string {
	id, _ := ctx.Value(requestKey{}).(string)
	return id
}

// Requests gives every request a name, counts it, and writes a line once it is answered: streams when they end. session says whose a
// request is by then. f may be nil.
func (f *Figures) Requests(log *slog.Logger, session func(context.Context) string) gin.HandlerFunc {
	return func(c *gin.Context) {
		began, id := time.Now(), rand.Text()[:10]
		c.Request = c.Request.WithContext(context.WithValue(c.Request.Context(), requestKey{}, id))
		c.Header(RequestHeader, id)
		defer func() {
			route, took := cmp.Or(c.FullPath(), "others"), time.Since(began)
			if f != nil {
				f.requests.WithLabelValues(c.Request.Method+" "+route, strconv.Itoa(c.Writer.Status())).Observe(took.Seconds())
			}
			log.LogAttrs(c.Request.Context(), slog.LevelInfo, "request", slog.String("request", id), slog.String("method", c.Request.Method), slog.String("route", route), slog.Int("status", c.Writer.Status()),
				slog.Duration("took", took), slog.Int("bytes", max(0, c.Writer.Size())), slog.String("session", session(c.Request.Context())))
		}()
		c.Next()
	}
}
