package machine

import (
	_ "embed"
	"errors"
	"io"
	"io/fs"
	"net/http"
	"path/filepath"
	"strings"

	"github.com/gin-gonic/gin"

	"zestyloom/core/line"
	"zestyloom/core/snag"
	"zestyloom/core/timecode"
	"zestyloom/internal/deck"
	"zestyloom/internal/httpapi"
)

//go:embed page.html
var page []byte

//go:embed page.js
var script []byte

// mostDescription bounds a session description, in bytes.
const mostDescription = 256 << 10

// Handler answers what a deck is asked over HTTP, and has its page. fonts are those of the application.
func (d *Deck) Handler(fonts fs.FS) http.Handler {
	gin.SetMode(gin.ReleaseMode)
	e := gin.New()
	e.Use(gin.Recovery(), httpapi.Guard())
	e.GET("/", func(c *gin.Context) { c.Data(http.StatusOK, "text/html; charset=utf-8", page) })
	e.GET("/page.js", func(c *gin.Context) { c.Data(http.StatusOK, "text/javascript; charset=utf-8", script) })
	e.GET("/font.woff2", func(c *gin.Context) {
		found, err := fs.Glob(fonts, "assets/recursive-latin-full-normal-*.woff2")
		if err != nil || len(found) == 0 {
			c.Status(http.StatusNotFound)
			return
		}
		c.FileFromFS(found[0], http.FS(fonts))
	})
	e.GET("/state", func(c *gin.Context) { c.JSON(http.StatusOK, d.State()) })
	e.PUT("/session", func(c *gin.Context) {
		text, err := io.ReadAll(io.LimitReader(c.Request.Body, mostDescription))
		if err != nil {
			refuse(c, err)
			return
		}
		s, err := line.ParseSDP(text)
		if err == nil {
			err = d.Listen(s)
		}
		answer(c, gin.H{}, err)
	})
	e.GET("/recordings", func(c *gin.Context) { c.JSON(http.StatusOK, d.Recordings()) })
	e.POST("/recordings", func(c *gin.Context) {
		o, err := d.order(c)
		if err != nil {
			refuse(c, err)
			return
		}
		r, err := d.Record(o)
		answer(c, r, err)
	})
	e.POST("/recordings/end", func(c *gin.Context) {
		d.End()
		c.JSON(http.StatusOK, gin.H{})
	})
	e.GET("/recordings/:id", func(c *gin.Context) {
		r, err := d.Recording(c.Param("id"))
		answer(c, r, err)
	})
	e.GET("/recordings/:id/sound", func(c *gin.Context) {
		r, err := d.Recording(c.Param("id"))
		if err == nil && r.State != "done" {
			err = snag.Refuse("not_done", "%s is not done: it is %s", r.Name, r.State)
		}
		if err != nil {
			refuse(c, err)
			return
		}
		c.FileAttachment(filepath.Join(d.dir, r.File), r.File)
	})
	e.PUT("/loudness", func(c *gin.Context) {
		var b struct {
			First  int    `json:"first"`
			Layout string `json:"layout"`
		}
		if err := c.ShouldBindJSON(&b); err != nil {
			refuse(c, snag.Refuse("bad_request", "first and layout were expected: %v", err))
			return
		}
		answer(c, gin.H{}, d.Measure(b.First, b.Layout))
	})
	return e
}

// order reads an order, whose ends may be given as timecode, as who types them does.
func (d *Deck) order(c *gin.Context) (deck.Order, error) {
	var b struct {
		deck.Order
		FromTimecode string `json:"from_timecode"`
		ToTimecode   string `json:"to_timecode"`
	}
	if err := c.ShouldBindJSON(&b); err != nil {
		return b.Order, snag.Refuse("bad_request", "name, from and to were expected: %v", err)
	}
	rate := d.rate()
	for _, end := range []struct {
		text string
		to   *int64
	}{{b.FromTimecode, &b.From}, {b.ToTimecode, &b.To}} {
		if end.text == "" {
			continue
		}
		frame, err := rate.Parse(end.text)
		if err != nil {
			return b.Order, snag.Refuse("bad_timecode", "%w", err)
		}
		*end.to = rate.SampleAt(frame, line.Rate)
	}
	if b.Name = strings.TrimSpace(b.Name); b.Name == "" {
		b.Name = "from the deck's page"
	}
	return b.Order, nil
}

func (d *Deck) rate() timecode.Rate {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.counted()
}

func answer(c *gin.Context, v any, err error) {
	if err != nil {
		refuse(c, err)
		return
	}
	c.JSON(http.StatusOK, v)
}

// refuse answers with a refusal, code and message.
func refuse(c *gin.Context, err error) {
	var r *snag.Refusal
	if !errors.As(err, &r) {
		c.JSON(http.StatusInternalServerError, snag.Refuse("internal", "%v", err))
		return
	}
	status := http.StatusUnprocessableEntity
	if r.Code == "not_found" {
		status = http.StatusNotFound
	}
	c.JSON(status, r)
}
