package httpapi

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"html/template"
	"net/http"
	"slices"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/gin-gonic/gin"
)

//go:embed docs.html
var docsPage string

// described is what the page says of one operation.
type described struct {
	Method, Path, ID, Summary, Description string
	Parameters                             []*openapi3.Parameter
	Body, Example                          string
	Answers                                []answer
}

type answer struct {
	Status, Says, Schema string
	Headers              []string
}

// documents serves the contract as JSON, and as a page that is made of it.
func documents(e *gin.Engine, doc *openapi3.T, version string) error {
	if version != "" {
		doc.Info.Version = version
	}
	b, err := json.Marshal(doc)
	if err != nil {
		return err
	}
	t, err := template.New("docs").Parse(docsPage)
	if err != nil {
		return err
	}
	var page bytes.Buffer
	if err := t.Execute(&page, map[string]any{"Info": doc.Info, "Operations": operations(doc)}); err != nil {
		return err
	}
	e.GET("/api/openapi.json", func(c *gin.Context) { c.Data(http.StatusOK, "application/json", b) })
	e.GET("/api/docs", func(c *gin.Context) { c.Data(http.StatusOK, "text/html; charset=utf-8", page.Bytes()) })
	return nil
}

func operations(doc *openapi3.T) (out []described) {
	for _, path := range doc.Paths.InMatchingOrder() {
		item := doc.Paths.Find(path)
		for method, op := range item.Operations() {
			o := described{Method: method, Path: path, ID: op.OperationID, Summary: op.Summary, Description: op.Description}
			for _, p := range append(slices.Clone(item.Parameters), op.Parameters...) {
				o.Parameters = append(o.Parameters, p.Value)
			}
			if op.RequestBody != nil {
				for kind, media := range op.RequestBody.Value.Content {
					o.Body = kind
					if media.Schema == nil {
						continue
					}
					o.Body += " " + schemaName(media.Schema)
					if media.Schema.Value.Example != nil {
						example, _ := json.MarshalIndent(media.Schema.Value.Example, "", "  ")
						o.Example = string(example)
					}
				}
			}
			for status, r := range op.Responses.Map() {
				a := answer{Status: status}
				if r.Value.Description != nil {
					a.Says = *r.Value.Description
				}
				for kind, media := range r.Value.Content {
					a.Schema = strings.TrimSpace(kind + " " + schemaName(media.Schema))
				}
				for name := range r.Value.Headers {
					a.Headers = append(a.Headers, name)
				}
				slices.Sort(a.Headers)
				o.Answers = append(o.Answers, a)
			}
			slices.SortFunc(o.Answers, func(a, b answer) int { return strings.Compare(a.Status, b.Status) })
			out = append(out, o)
		}
	}
	slices.SortFunc(out, func(a, b described) int {
		if c := strings.Compare(a.Path, b.Path); c != 0 {
			return c
		}
		return strings.Compare(a.Method, b.Method)
	})
	return out
}

func schemaName(s *openapi3.SchemaRef) string {
	switch {
	case s == nil:
		return ""
	case s.Ref != "":
		return s.Ref[strings.LastIndexByte(s.Ref, '/')+1:]
	case s.Value.Items != nil:
		return "list of " + schemaName(s.Value.Items)
	}
	return ""
}
