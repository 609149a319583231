package httpapi

import (
	"io"
	"net/http"
)

// document is an answer that is written as a file of its own kind: a table, a page, an archive.
type document struct {
	kind  string // its media type
	name  string // by which it is kept; "" is shown
	write func(w io.Writer) error
}

// text is a document that is there already.
func text(kind, name string, b []byte) document {
	return document{kind, name, func(w io.Writer) error {
		_, err := w.Write(b)
		return err
	}}
}

func (d document) give(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", d.kind)
	if d.name != "" {
		w.Header().Set("Content-Disposition", attachment(d.name))
	}
	return d.write(w)
}
