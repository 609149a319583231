package httpapi

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/gin-gonic/gin"
	"github.com/oapi-codegen/runtime"
)

// none stands for a path without ids, for nothing that is asked for, and for an answer without a body.
type none struct{}

// giver is an answer that is not JSON: it writes its own headers and bytes.
type giver interface {
	give(w http.ResponseWriter) error
}

// handler does one operation of the contract.
type handler struct {
	at, what reflect.Type // none where there is none
	do       func(ctx context.Context, bind func(at, what any) error) (any, error)
}

// handle makes a handler of a function from the ids in the path (a struct with path tags) and what is asked for (the
// parameters of the query, or the body) to the answer (what becomes JSON, a giver, or none).
func handle[At, What, Out any](f func(context.Context, At, What) (Out, error)) handler {
	return handler{reflect.TypeFor[At](), reflect.TypeFor[What](), func(ctx context.Context, bind func(at, what any) error) (any, error) {
		var at At
		var what What
		if err := bind(&at, &what); err != nil {
			return nil, err
		}
		return f(ctx, at, what)
	}}
}

// register serves every operation of the contract by the handler of its name.
func (s *server) register(e gin.IRoutes, doc *openapi3.T, handlers map[string]handler) error {
	shared := newBodies()
	var served []string
	for path, item := range doc.Paths.Map() {
		for method, op := range item.Operations() {
			if slices.Contains(op.Tags, "uploads") { // tusd serves them
				continue
			}
			h, ok := handlers[op.OperationID]
			if !ok {
				return fmt.Errorf("httpapi: nothing serves %s", op.OperationID)
			}
			served = append(served, op.OperationID)
			o := &operation{s: s, handler: h, bodies: shared, route: routers.Route{Spec: doc, Path: path, PathItem: item, Method: method, Operation: op}}
			if err := o.prepare(); err != nil {
				return fmt.Errorf("httpapi: %s: %w", op.OperationID, err)
			}
			e.Handle(method, strings.NewReplacer("{", ":", "}", "").Replace(path), o.serve)
		}
	}
	for id := range handlers {
		if !slices.Contains(served, id) {
			return fmt.Errorf("httpapi: the contract has no operation %s", id)
		}
	}
	return nil
}

// operation is one of the contract's, with who does it.
type operation struct {
	handler
	s      *server
	route  routers.Route
	bodies *bodies
	limit  int64 // bytes of the body
	status int   // where it was done
	params openapi3.Parameters
}

// prepare looks whether the handler takes what the contract says that it is given.
func (o *operation) prepare() (err error) {
	op := o.route.Operation
	if o.limit, err = bodyLimit(op); err != nil {
		return err
	}
	for status := range op.Responses.Map() {
		if n, err := strconv.Atoi(status); err == nil && (o.status == 0 || n < o.status) {
			o.status = n
		}
	}
	o.params = append(slices.Clone(o.route.PathItem.Parameters), op.Parameters...)
	want := map[string][]string{}
	for _, p := range o.params {
		want[p.Value.In] = append(want[p.Value.In], p.Value.Name)
	}
	if err := tagged(o.at, "path", want[openapi3.ParameterInPath]); err != nil {
		return err
	}
	if query := want[openapi3.ParameterInQuery]; op.RequestBody == nil || query != nil {
		return tagged(o.what, "form", query)
	}
	return nil
}

// tagged says whether the fields of a struct are those of a list.
func tagged(t reflect.Type, tag string, names []string) error {
	var have []string
	for i := range t.NumField() {
		name, _, _ := strings.Cut(t.Field(i).Tag.Get(tag), ",")
		have = append(have, name)
	}
	slices.Sort(have)
	if slices.Sort(names); !slices.Equal(have, names) {
		return fmt.Errorf("%s has %v and is given %v", t, have, names)
	}
	return nil
}

// serve checks a request against the contract, has it done, and answers.
func (o *operation) serve(c *gin.Context) {
	all := c.Request.Body
	raw, release, err := o.check(c)
	if err != nil {
		o.refuse(c, all, err)
		return
	}
	defer release() // what the body takes is given back once it is answered
	out, err := o.do(c, func(at, what any) error { return o.bind(c, raw, at, what) })
	var bad *unbound
	switch {
	case errors.As(err, &bad):
		problem(c, http.StatusBadRequest, "bad_request", bad.Error())
	case err != nil:
		o.s.fail(c, err)
	default:
		if err := o.answer(c, out); err != nil {
			o.s.brokenOff(c, err)
		}
	}
}

// check holds a request against the contract; raw is its body.
func (o *operation) check(c *gin.Context) (raw []byte, release func(), err error) {
	if err := queryInRange(c.Request); err != nil {
		return nil, nil, err
	}
	in := openapi3filter.RequestValidationInput{Request: c.Request, Route: &o.route, PathParams: map[string]string{}, Options: &openapi3filter.Options{ExcludeRequestBody: true}}
	for _, p := range c.Params {
		in.PathParams[p.Key] = p.Value
	}
	if err := openapi3filter.ValidateRequest(c, &in); err != nil {
		return nil, nil, err
	}
	if o.route.Operation.RequestBody == nil {
		return nil, func() {}, nil
	}
	media := o.route.Operation.RequestBody.Value.Content.Get(c.GetHeader("Content-Type"))
	if media == nil {
		return nil, nil, fmt.Errorf("the body is %q; what is taken is application/json", c.ContentType())
	}
	b, err := o.bodies.take(c, o.limit)
	if err != nil {
		return nil, nil, err
	}
	defer func() {
		if err != nil {
			b.release()
		}
	}()
	filled := false
	if err := media.Schema.Value.VisitJSON(b.value, openapi3.VisitAsRequest(), openapi3.DefaultsSet(func() { filled = true })); err != nil {
		return nil, nil, fmt.Errorf("the body is not what is taken here: %w", err)
	}
	if filled { // with what the contract says of fields that were left away
		if b.raw, err = json.Marshal(b.value); err != nil {
			return nil, nil, err
		}
	}
	return b.raw, b.release, nil
}

// refuse answers a request that is not by the contract; all is its body, of which more may come.
func (o *operation) refuse(c *gin.Context, all any, err error) {
	switch {
	case errors.Is(err, errBusy):
		c.Header("Retry-After", "2")
		problem(c, http.StatusServiceUnavailable, "busy", err.Error())
	case tooLarge(err):
		c.Header("Connection", "close")
		if b, ok := all.(*bounded); ok {
			drain(c, b.all)
		}
		problem(c, http.StatusRequestEntityTooLarge, "too_large", fmt.Sprintf("the body may be %d MiB: send less at once", o.limit>>20))
	default:
		problem(c, http.StatusBadRequest, "bad_request", firstLine(err.Error()))
	}
}

// unbound says which part of a request can't be what it has to be.
type unbound struct{ error }

// bind fills what a handler takes from a request that was checked.
func (o *operation) bind(c *gin.Context, raw []byte, at, what any) error {
	if o.route.Operation.RequestBody != nil {
		if err := json.Unmarshal(raw, what); err != nil {
			return &unbound{err}
		}
	}
	query := c.Request.URL.Query()
	for _, p := range o.params {
		var err error
		switch p := p.Value; p.In {
		case openapi3.ParameterInPath:
			err = runtime.BindStyledParameterWithOptions("simple", p.Name, c.Param(p.Name), field(at, "path", p.Name), runtime.BindStyledParameterOptions{ParamLocation: runtime.ParamLocationPath, Required: true, ValueIsUnescaped: true})
		case openapi3.ParameterInQuery:
			err = runtime.BindQueryParameterWithOptions("form", p.Explode == nil || *p.Explode, p.Required, p.Name, query, field(what, "form", p.Name), runtime.BindQueryParameterOptions{})
		}
		if err != nil {
			return &unbound{err}
		}
	}
	return nil
}

// field is where a struct keeps what a tag names; prepare has seen that it is there.
func field(of any, tag, name string) any {
	v := reflect.ValueOf(of).Elem()
	for i := range v.NumField() {
		if have, _, _ := strings.Cut(v.Type().Field(i).Tag.Get(tag), ","); have == name {
			return v.Field(i).Addr().Interface()
		}
	}
	panic("httpapi: no field for " + name)
}

// withStatus is an answer with another status than the contract's first.
type withStatus struct {
	status int
	body   any
}

// answer writes what a handler gave.
func (o *operation) answer(c *gin.Context, out any) error {
	status := o.status
	if w, ok := out.(withStatus); ok {
		status, out = w.status, w.body
	}
	switch out := out.(type) {
	case none:
		c.Status(status)
		c.Writer.WriteHeaderNow()
		return nil
	case giver:
		return out.give(c.Writer)
	}
	var b bytes.Buffer
	if err := json.NewEncoder(&b).Encode(out); err != nil {
		return err
	}
	c.Header("Content-Type", "application/json")
	c.Status(status)
	_, err := b.WriteTo(c.Writer)
	return err
}
