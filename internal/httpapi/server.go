// Package httpapi serves the contract of api/openapi.yaml, uploads, events and the front end.
package httpapi

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"net/url"
	"strings"
	"syscall"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/gin-gonic/gin"

	"zestyloom/api"
	"zestyloom/core/snag"
	"zestyloom/internal/app"
	"zestyloom/internal/httpapi/contract"
	"zestyloom/internal/observe"
	"zestyloom/internal/store"
)

// Options are what the server is made of.
type Options struct {
	App     *app.App
	Watcher *app.Watcher
	Hub     *Hub
	Web     fs.FS // the built front end
	Log     *slog.Logger
	Figures *observe.Figures // counted; nil for none
	// BodyTime is how long all of a request's body may take to arrive; half a minute when it is 0. Uploads have
	// their own: a minute without a byte ends them, to be gone on with.
	BodyTime time.Duration
	// Version is the program's, which the contract has; as it is written where there is none.
	Version string
}

type server struct {
	app     *app.App
	watcher *app.Watcher
	hub     *Hub
	log     *slog.Logger
}

// New makes the handler of the whole application.
func New(o Options) (http.Handler, error) {
	gin.SetMode(gin.ReleaseMode)
	e := gin.New()
	e.ContextWithFallback = true // handlers end when their request does
	s := &server{o.App, o.Watcher, o.Hub, o.Log}
	e.Use(o.Figures.Requests(o.Log, app.Session), gin.CustomRecoveryWithWriter(nil, func(c *gin.Context, v any) {
		s.log.Error("panic", "request", observe.Request(c), "path", c.Request.URL.Path, "value", v)
		problem(c, http.StatusInternalServerError, "internal", wentWrong(c))
	}), guard(cmp.Or(o.BodyTime, bodyTime)), session)
	uploads, err := s.uploads()
	if err != nil {
		return nil, err
	}
	e.Any("/api/uploads/*path", uploads)
	if o.Figures != nil {
		e.GET("/metrics", gin.WrapH(o.Figures.Handler()))
	}
	doc, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	if err != nil {
		return nil, err
	}
	if err := documents(e, doc, o.Version); err != nil {
		return nil, err
	}
	if err := s.register(e, doc, s.handlers()); err != nil {
		return nil, err
	}
	e.NoRoute(frontEnd(o.Web))
	e.HandleMethodNotAllowed = true
	e.NoMethod(func(c *gin.Context) {
		problem(c, http.StatusMethodNotAllowed, "method_not_allowed", c.Request.Method+" is not done at "+c.Request.URL.Path+"; what is: "+c.Writer.Header().Get("Allow"))
	})
	return whole(heads(e)), nil
}

// sessionHeader is how a client says which edits are its own, by a name that it has made up; maxSession bounds that.
const (
	sessionHeader = "Zesty-Session"
	maxSession    = 64
)

func session(c *gin.Context) {
	if name := c.GetHeader(sessionHeader); name != "" && len(name) <= maxSession {
		c.Request = c.Request.WithContext(app.WithSession(c.Request.Context(), name))
	}
}

// brokenOff ends an answer that could not be given whole: as a problem where nothing of it has gone out yet.
func (s *server) brokenOff(c *gin.Context, err error) {
	if !c.Writer.Written() {
		s.fail(c, err)
		return
	}
	s.log.Warn("response broken off", "request", observe.Request(c), "path", c.Request.URL.Path, "error", err)
	if off, ok := c.Request.Context().Value(brokenKey{}).(*bool); ok {
		*off = true
	}
}

type brokenKey struct{}

// whole has the connection of an answer broken that could not be given whole: a client must never take what it got for all
// of it. gin's recovery would end it as if it were, hence outside of it.
func whole(h http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		off := false
		h.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), brokenKey{}, &off)))
		if off {
			panic(http.ErrAbortHandler)
		}
	})
}

// problem answers with an RFC 9457 problem. current, if given, is the state that a change was not made on.
func problem(c *gin.Context, status int, code, detail string, current ...any) {
	c.Abort()
	c.Header("Content-Type", "application/problem+json")
	p := contract.Problem{Title: http.StatusText(status), Status: status, Detail: detail, Code: code}
	if len(current) > 0 {
		p.Current = current[0]
	}
	c.JSON(status, p)
}

// heads answers HEAD wherever GET is: with the same headers, and without what follows them. Uploads have
// a HEAD of their own.
func heads(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method != http.MethodHead || strings.HasPrefix(r.URL.Path, "/api/uploads/") {
			next.ServeHTTP(w, r)
			return
		}
		ctx, enough := context.WithCancel(r.Context())
		defer enough()
		get := r.WithContext(ctx)
		get.Method = http.MethodGet
		next.ServeHTTP(&headWriter{ResponseWriter: w, enough: enough}, get)
	})
}

// headWriter lets headers through and ends the request with the first byte after them: a stream would go on.
type headWriter struct {
	http.ResponseWriter
	enough func()
}

func (h *headWriter) Write(p []byte) (int, error) {
	h.enough()
	return len(p), nil
}

// Unwrap lets http.ResponseController through.
func (h *headWriter) Unwrap() http.ResponseWriter { return h.ResponseWriter }

// conflicts are refusals that depend on the state of things rather than on the request.
var conflicts = map[string]bool{"stale": true, "in_use": true, "laid_already": true, "exists": true, "last_reel": true, "ended": true, "not_ended": true, "not_refused": true, "not_proven": true, "gone": true, "overlap": true, "not_final": true, "alone_already": true, "not_aligned": true, "lines_taken": true}

func (s *server) fail(c *gin.Context, err error) {
	var r *snag.Refusal
	var stale *app.Stale
	var cells *app.StaleCells
	var not *app.NotYet
	switch {
	case errors.As(err, &stale):
		problem(c, http.StatusConflict, "stale", stale.Says, stale.Current)
	case errors.As(err, &cells):
		problem(c, http.StatusConflict, "stale", cells.Says, cells.Cells)
	case errors.As(err, &not):
		c.Header("Retry-After", "1")
		problem(c, http.StatusAccepted, "not_yet", not.Error())
	case errors.Is(err, app.ErrNotFound):
		problem(c, http.StatusNotFound, "not_found", "what was asked for is not here, or not any more")
	case errors.As(err, &r) && conflicts[r.Code]:
		problem(c, http.StatusConflict, r.Code, r.Message)
	case errors.As(err, &r) && r.Code == "disk_full":
		problem(c, http.StatusInsufficientStorage, r.Code, r.Message)
	case errors.As(err, &r):
		problem(c, http.StatusUnprocessableEntity, r.Code, r.Message)
	case errors.Is(err, syscall.ENOSPC), store.Full(err):
		full := s.app.Media.NoRoom()
		problem(c, http.StatusInsufficientStorage, full.Code, full.Message)
	case store.Away(err):
		s.log.Warn("the database is away", "path", c.Request.URL.Path, "error", err)
		c.Header("Retry-After", "1")
		problem(c, http.StatusServiceUnavailable, "database_away", "the database does not answer just now; nothing was changed by this, and it works again by itself once the database is back")
	case store.Contended(err):
		c.Header("Retry-After", "1")
		problem(c, http.StatusServiceUnavailable, "contended", "others changed the same at the same moment, again and again; nothing was changed by this: try again")
	case store.IsBadText(err):
		problem(c, http.StatusUnprocessableEntity, "bad_text", "a text holds characters that no name or label can have: type it again without them")
	case errors.Is(err, context.Canceled):
		c.Abort()
	default:
		s.log.Error("request failed", "request", observe.Request(c), "method", c.Request.Method, "path", c.Request.URL.Path, "error", err)
		problem(c, http.StatusInternalServerError, "internal", wentWrong(c))
	}
}

// wentWrong says under which name the log has what went wrong.
func wentWrong(c *gin.Context) string {
	return "something went wrong in the server; its log says more, under " + observe.Request(c)
}

// Bounds of what comes in, but for uploads, which have their own.
const (
	maxBody  = 16 << 20         // bytes of a request's body
	bodyTime = 30 * time.Second // until all of it is here, where nothing else is said
)

// guard refuses requests that come by another name or from another site's page. Until there is
// sign-in, being reachable only from this machine is the whole of the protection.
func guard(bodyTime time.Duration) gin.HandlerFunc {
	return func(c *gin.Context) { let(c, bodyTime) }
}

// Guard is what keeps the application to this machine, for a server that stands beside it.
func Guard() gin.HandlerFunc { return guard(bodyTime) }

func let(c *gin.Context, bodyTime time.Duration) {
	h := c.Writer.Header()
	h.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; object-src 'none'; form-action 'self'; frame-ancestors 'none'; base-uri 'none'")
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("X-Frame-Options", "DENY")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("Cross-Origin-Opener-Policy", "same-origin")
	h.Set("Cross-Origin-Resource-Policy", "same-origin")
	h.Set("Permissions-Policy", "camera=(), microphone=(), geolocation=(), usb=()")
	if !loopbackHost(c.Request.Host) {
		problem(c, http.StatusForbidden, "foreign_host", "this server answers to localhost only")
		return
	}
	if o := c.Request.Header.Get("Origin"); o != "" {
		u, err := url.Parse(o)
		if err != nil || u.Host != c.Request.Host {
			problem(c, http.StatusForbidden, "foreign_origin", "requests from other sites' pages are refused")
			return
		}
	}
	// A browser says where a request comes from. What a person typed comes from nowhere, and a link of another
	// site may lead to a page, but to nothing that the interface answers.
	switch c.Request.Header.Get("Sec-Fetch-Site") {
	case "", "same-origin", "none":
	default:
		page := c.Request.Method == http.MethodGet && c.Request.Header.Get("Sec-Fetch-Mode") == "navigate" && !strings.HasPrefix(c.Request.URL.Path, "/api/")
		if !page {
			problem(c, http.StatusForbidden, "foreign_origin", "requests from other sites' pages are refused")
			return
		}
	}
	if strings.HasPrefix(c.Request.URL.Path, "/api/uploads/") {
		return
	}
	if c.Request.ContentLength > maxBody {
		c.Header("Connection", "close")
		if c.Request.ContentLength <= maxBody+drained {
			drain(c, c.Request.Body)
		}
		problem(c, http.StatusRequestEntityTooLarge, "too_large", fmt.Sprintf("the body is %d bytes and may be %d MiB: send less at once", c.Request.ContentLength, maxBody>>20))
		return
	}
	if c.Request.Body != nil && c.Request.Body != http.NoBody {
		slow := http.NewResponseController(c.Writer)
		_ = slow.SetReadDeadline(time.Now().Add(bodyTime)) // where it can't be set, as in tests, nothing is slow
		c.Request.Body = &bounded{http.MaxBytesReader(c.Writer, c.Request.Body, maxBody), slow, c.Request.Body}
	}
}

// drained is how much of a body that is too large is read and thrown away: who is still sending when the connection is
// closed may never see why.
const drained = 8 << 20

func drain(c *gin.Context, body io.Reader) {
	slow := http.NewResponseController(c.Writer)
	_ = slow.SetReadDeadline(time.Now().Add(10 * time.Second))
	_, _ = io.CopyN(io.Discard, body, drained) // as much as comes
}

// bounded is a body that may not be large, nor slow.
type bounded struct {
	io.ReadCloser
	slow *http.ResponseController
	all  io.Reader // beyond what is allowed, too
}

// Read lets the connection wait again once the body is here: answers may be long streams.
func (b *bounded) Read(p []byte) (int, error) {
	n, err := b.ReadCloser.Read(p)
	if errors.Is(err, io.EOF) {
		_ = b.slow.SetReadDeadline(time.Time{})
	}
	return n, err
}

// tooLarge reports whether an error is about a body that is too large.
func tooLarge(err error) bool { return errors.As(err, new(*http.MaxBytesError)) }

func loopbackHost(host string) bool {
	name := host
	if h, _, err := net.SplitHostPort(host); err == nil {
		name = h
	}
	name = strings.Trim(name, "[]")
	if strings.EqualFold(name, "localhost") {
		return true
	}
	ip := net.ParseIP(name)
	return ip != nil && ip.IsLoopback()
}

// Loopback refuses an address to listen on that others could reach.
func Loopback(address string) error {
	if !loopbackHost(address) {
		return snag.Refuse("not_loopback", "the server listens on this machine only (127.0.0.1) until there is sign-in; %s is refused", address)
	}
	return nil
}

func firstLine(s string) string {
	line, _, _ := strings.Cut(s, "\n")
	return line
}

// frontEnd serves the built front end; every path that is not a file is the application itself.
func frontEnd(web fs.FS) gin.HandlerFunc {
	files := http.FileServerFS(web)
	return func(c *gin.Context) {
		path := strings.TrimPrefix(c.Request.URL.Path, "/")
		if path == "api" || strings.HasPrefix(path, "api/") {
			problem(c, http.StatusNotFound, "no_such_route", "there is nothing at "+c.Request.URL.Path)
			return
		}
		if path != "" {
			if st, err := fs.Stat(web, path); err == nil && !st.IsDir() {
				if strings.HasPrefix(path, "assets/") { // their names change with their content
					c.Header("Cache-Control", "public, max-age=31536000, immutable")
				}
				files.ServeHTTP(c.Writer, c.Request)
				return
			}
		}
		page, err := fs.ReadFile(web, "index.html")
		if err != nil {
			c.String(http.StatusServiceUnavailable, "The front end is not built: run make build.\n")
			return
		}
		c.Header("Cache-Control", "no-cache")
		c.Data(http.StatusOK, "text/html; charset=utf-8", page)
	}
}
