package httpapi

import (
	"bytes"
	"context"
	"net/http"
	"os"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
	"github.com/tus/tusd/v2/pkg/filelocker"
	"github.com/tus/tusd/v2/pkg/filestore"
	tus "github.com/tus/tusd/v2/pkg/handler"
	tuslog "golang.org/x/exp/slog" // the one tusd speaks

	"zestyloom/core/snag"
	"zestyloom/internal/media"
	"zestyloom/internal/store"
)

// uploads serves the tus protocol. A finished upload is taken in before the browser is told so: what
// it sees as done is recorded.
func (s *server) uploads() (gin.HandlerFunc, error) {
	dir := s.app.Media.Uploads()
	composer := tus.NewStoreComposer()
	filestore.New(dir).UseIn(composer)
	filelocker.New(dir).UseIn(composer)
	// Whole files of a known length are what is taken in: nothing is put together from parts.
	composer.UsesConcater, composer.UsesLengthDeferrer = false, false
	h, err := tus.NewHandler(tus.Config{
		StoreComposer: composer, BasePath: "/api/uploads/", DisableDownload: true, MaxSize: maxUpload, NetworkTimeout: time.Minute,
		Logger: tuslog.New(tuslog.NewTextHandler(os.Stderr, &tuslog.HandlerOptions{Level: tuslog.LevelError})),
		Cors:   &tus.CorsConfig{Disable: true},
		PreUploadCreateCallback: func(e tus.HookEvent) (tus.HTTPResponse, tus.FileInfoChanges, error) {
			id, err := uuid.Parse(e.Upload.MetaData["production"])
			if err == nil {
				_, err = s.app.Store.Production(e.Context, id)
			}
			if store.Away(err) {
				return tus.HTTPResponse{}, tus.FileInfoChanges{}, tus.NewError("ERR_DATABASE_AWAY", "the database does not answer just now: try again", http.StatusServiceUnavailable)
			}
			if err != nil {
				return tus.HTTPResponse{}, tus.FileInfoChanges{}, tus.NewError("ERR_NO_PRODUCTION", "the upload names no production that is here", http.StatusUnprocessableEntity)
			}
			coming, err := s.app.Media.Coming()
			if err == nil {
				err = s.app.Media.Room(coming + e.Upload.Size)
			}
			if err != nil {
				return tus.HTTPResponse{}, tus.FileInfoChanges{}, tus.NewError("ERR_DISK_FULL", snag.Of(err).Message, http.StatusInsufficientStorage)
			}
			return tus.HTTPResponse{}, tus.FileInfoChanges{}, nil
		},
		PreFinishResponseCallback: func(e tus.HookEvent) (tus.HTTPResponse, error) {
			f, err := s.takeWhole(e.Context, e.Upload.ID)
			if err != nil {
				return tus.HTTPResponse{}, tus.NewError("ERR_NOT_TAKEN_IN", notTakenIn, http.StatusServiceUnavailable)
			}
			return tus.HTTPResponse{Header: tus.HTTPHeader{"File-Id": f.ID.String()}}, nil
		},
	})
	if err != nil {
		return nil, err
	}
	handler := http.StripPrefix("/api/uploads/", h)
	return func(c *gin.Context) {
		// All bytes are here and the file was not taken in: that is done first. Until it is, the upload is not
		// said to be whole, or the browser would believe that the file is safe and forget it.
		id := strings.Trim(c.Param("path"), "/")
		if id != "" && !media.UploadID(id) {
			problem(c, http.StatusBadRequest, "bad_request", "this is no upload's id: up to 64 letters and digits")
			return
		}
		if u, err := s.app.Media.Upload(id); err == nil && u.Whole() && (c.Request.Method == http.MethodHead || c.Request.Method == http.MethodPatch) {
			f, err := s.takeWhole(c, id)
			if err != nil {
				c.Header("Retry-After", "2")
				problem(c, http.StatusServiceUnavailable, "not_taken_in", notTakenIn)
				return
			}
			c.Header("Tus-Resumable", "1.0.0")
			c.Header("Upload-Offset", strconv.FormatInt(u.Size, 10))
			c.Header("Upload-Length", strconv.FormatInt(u.Size, 10))
			c.Header("File-Id", f.ID.String())
			c.Header("Cache-Control", "no-store")
			c.Status(map[string]int{http.MethodHead: http.StatusOK, http.MethodPatch: http.StatusNoContent}[c.Request.Method])
			c.Writer.WriteHeaderNow()
			return
		}
		w := &tusProblems{ResponseWriter: c.Writer}
		handler.ServeHTTP(w, c.Request)
		if w.failed {
			code, detail, ok := strings.Cut(strings.TrimSpace(w.says.String()), ": ")
			if !ok {
				code, detail = "upload_refused", w.says.String()
			}
			c.Writer.Header().Del("Content-Length")
			if strings.Contains(detail, syscall.ENOSPC.Error()) {
				full := s.app.Media.NoRoom()
				w.status, code, detail = http.StatusInsufficientStorage, full.Code, full.Message
			}
			problem(c, w.status, strings.ToLower(strings.TrimPrefix(code, "ERR_")), detail)
		}
	}, nil
}

// maxUpload bounds the bytes of a file: 16 TiB, more than any file system of a recorder holds.
const maxUpload = 16 << 40

const notTakenIn = "the file arrived and could not be taken in yet; its upload is kept, and taken in as soon as that is possible: try again"

// takeWhole takes an upload in of which every byte is here.
func (s *server) takeWhole(ctx context.Context, id string) (store.File, error) {
	u, err := s.app.Media.Upload(id)
	if err != nil {
		return store.File{}, err
	}
	f, err := s.app.TakeWholeUpload(ctx, u)
	if err != nil {
		s.log.Error("taking an upload in", "file", u.Name, "error", err)
	}
	return f, err
}

// tusProblems keeps back what tusd says of an error, "CODE: message" as text, for a problem to be made of it.
type tusProblems struct {
	http.ResponseWriter
	failed bool
	status int
	says   bytes.Buffer
}

func (w *tusProblems) WriteHeader(status int) {
	if status >= 400 {
		w.failed, w.status = true, status
		return
	}
	w.ResponseWriter.WriteHeader(status)
}

func (w *tusProblems) Write(p []byte) (int, error) {
	if w.failed {
		return w.says.Write(p)
	}
	return w.ResponseWriter.Write(p)
}

// Unwrap lets http.ResponseController through.
func (w *tusProblems) Unwrap() http.ResponseWriter { return w.ResponseWriter }
