package httpapi_test

import (
	"bytes"
	"flag"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"sync/atomic"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/legacy"
	"github.com/stretchr/testify/require"

	"zestyloom/api"
)

// strict is the contract with every object closed: a field that it does not name is as wrong as one that is missing.
var strict = sync.OnceValues(func() (routers.Router, error) {
	doc, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
	if err != nil {
		return nil, err
	}
	doc.Servers = nil
	seen := map[*openapi3.Schema]bool{}
	var shut func(ref *openapi3.SchemaRef)
	shut = func(ref *openapi3.SchemaRef) {
		if ref == nil || seen[ref.Value] {
			return
		}
		s := ref.Value
		seen[s] = true
		for _, p := range s.Properties {
			shut(p)
		}
		shut(s.Items)
		shut(s.AdditionalProperties.Schema)
		if len(s.Properties) > 0 && s.AdditionalProperties.Has == nil && s.AdditionalProperties.Schema == nil {
			no := false
			s.AdditionalProperties.Has = &no
		}
	}
	for _, ref := range doc.Components.Schemas {
		shut(ref)
	}
	return legacy.NewRouter(doc)
})

// answers is how many were held to the contract, and leastAnswers how many a run of all tests gives at the least.
var answers atomic.Int64

const leastAnswers = 500

func manyAnswers() error {
	if n := answers.Load(); flag.Lookup("test.run").Value.String() == "" && n < leastAnswers {
		return fmt.Errorf("FAIL: %d answers were held to the contract: at least %d are expected of all tests", n, leastAnswers)
	}
	return nil
}

// held holds every answer that a server gives in a test to the contract, whatever was asked: problems and refusals, too.
func held(t testing.TB, next http.Handler) http.Handler {
	router, err := strict()
	require.NoError(t, err)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		route, params, err := router.FindRoute(r)
		if err != nil { // what is no operation
			next.ServeHTTP(w, r)
			return
		}
		keep := &kept{ResponseWriter: w, status: http.StatusOK}
		next.ServeHTTP(keep, r)
		kind := w.Header().Get("Content-Type")
		in := &openapi3filter.ResponseValidationInput{
			RequestValidationInput: &openapi3filter.RequestValidationInput{Request: r, PathParams: params, Route: route},
			Status:                 keep.status, Header: w.Header(),
			Options: &openapi3filter.Options{IncludeResponseStatus: true, MultiError: true, ExcludeResponseBody: !strings.Contains(kind, "json") || r.Method == http.MethodHead},
		}
		in.SetBodyBytes(keep.body.Bytes())
		answers.Add(1)
		if told := route.Operation.Responses.Status(keep.status); told != nil && told.Value.Content != nil && kind != "" && told.Value.Content.Get(kind) == nil {
			t.Errorf("%s %s: the answer is %s, which is not in the contract for %d", r.Method, r.URL.Path, kind, keep.status)
		}
		if err := openapi3filter.ValidateResponse(r.Context(), in); err != nil {
			t.Errorf("%s %s: the answer is not that of the contract: %d %s: %v", r.Method, r.URL.Path, keep.status, kind, err)
		}
	})
}

// kept passes an answer on and keeps a copy of what is JSON in it.
type kept struct {
	http.ResponseWriter
	status int
	body   bytes.Buffer
}

func (k *kept) WriteHeader(status int) {
	k.status = status
	k.ResponseWriter.WriteHeader(status)
}

func (k *kept) Write(b []byte) (int, error) {
	if strings.Contains(k.Header().Get("Content-Type"), "json") {
		k.body.Write(b)
	}
	return k.ResponseWriter.Write(b)
}

func (k *kept) Unwrap() http.ResponseWriter { return k.ResponseWriter }

func (k *kept) Flush() {
	if f, can := k.ResponseWriter.(http.Flusher); can {
		f.Flush()
	}
}

// A contract that nothing is held to would be no contract: what is missing, what is no list and what nobody knows are found.
func TestAnswersAreHeld(t *testing.T) {
	for name, body := range map[string]string{
		"a field is missing":     `{"items":[{"id":"019a0000-0000-7000-8000-000000000001"}],"total":1}`,
		"a list is null":         `{"items":null,"total":0}`,
		"a field nobody knows":   `{"items":[],"total":0,"colour":"red"}`,
		"no answer of this kind": ``,
	} {
		said := &listening{TB: t}
		h := held(said, http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", "application/json")
			if body == "" {
				w.Header().Set("Content-Type", "text/plain")
				body = "hello"
			}
			_, err := io.WriteString(w, body)
			require.NoError(t, err)
		}))
		h.ServeHTTP(httptest.NewRecorder(), httptest.NewRequest("GET", "/api/productions", nil))
		if said.errors == 0 {
			t.Errorf("%s was not noticed", name)
		}
	}
}

type listening struct {
	testing.TB
	errors int
}

func (l *listening) Errorf(string, ...any) { l.errors++ }
