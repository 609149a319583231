package httpapi

import (
	"net/http"
	"os"

	"github.com/gin-gonic/gin"
	"github.com/google/uuid"
	"github.com/tus/tusd/v2/pkg/filelocker"
	"github.com/tus/tusd/v2/pkg/filestore"
	tus "github.com/tus/tusd/v2/pkg/handler"
	tuslog "golang.org/x/exp/slog" // the one tusd speaks
)

// uploads serves the tus protocol. A finished upload is taken in before the browser is told so: what
// it sees as done is recorded.
func (s *server) uploads() (gin.HandlerFunc, error) {
	dir := s.app.Media.Uploads()
	composer := tus.NewStoreComposer()
	filestore.New(dir).UseIn(composer)
	filelocker.New(dir).UseIn(composer)
	h, err := tus.NewHandler(tus.Config{
		StoreComposer: composer, BasePath: "/api/uploads/", DisableDownload: true,
		Logger: tuslog.New(tuslog.NewTextHandler(os.Stderr, &tuslog.HandlerOptions{Level: tuslog.LevelError})),
		Cors:   &tus.CorsConfig{Disable: true},
		PreUploadCreateCallback: func(e tus.HookEvent) (tus.HTTPResponse, tus.FileInfoChanges, error) {
			id, err := uuid.Parse(e.Upload.MetaData["production"])
			if err == nil {
				_, err = s.app.Store.Production(e.Context, id)
			}
			if err != nil {
				return tus.HTTPResponse{}, tus.FileInfoChanges{}, tus.NewError("ERR_NO_PRODUCTION", "the upload names no production that is here", http.StatusUnprocessableEntity)
			}
			return tus.HTTPResponse{}, tus.FileInfoChanges{}, nil
		},
		PreFinishResponseCallback: func(e tus.HookEvent) (tus.HTTPResponse, error) {
			production, err := uuid.Parse(e.Upload.MetaData["production"])
			if err != nil {
				return tus.HTTPResponse{}, err
			}
			path := e.Upload.Storage[filestore.StorageKeyPath]
			if _, err := s.app.TakeUpload(e.Context, production, e.Upload.MetaData["filename"], path, e.Upload.Size); err != nil {
				s.log.Error("taking an upload in", "file", e.Upload.MetaData["filename"], "error", err)
				return tus.HTTPResponse{}, tus.NewError("ERR_NOT_TAKEN_IN", "the file arrived and could not be taken in; its upload is kept: try again", http.StatusInternalServerError)
			}
			if info := e.Upload.Storage[filestore.StorageKeyInfoPath]; info != "" {
				_ = os.Remove(info) // it describes an upload that is over
			}
			return tus.HTTPResponse{}, nil
		},
	})
	if err != nil {
		return nil, err
	}
	handler := http.StripPrefix("/api/uploads/", h)
	return func(c *gin.Context) { handler.ServeHTTP(c.Writer, c.Request) }, nil
}
