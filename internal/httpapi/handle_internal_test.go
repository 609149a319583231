package httpapi

import (
	"bytes"
	"context"
	"encoding/json"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"zestyloom/api"
	"zestyloom/internal/httpapi/contract"
)

// A server whose handlers are not those of the contract does not start, and says which.
func TestHandlersAreTheContracts(t *testing.T) {
	s := &server{}
	register := func(change func(map[string]handler)) error {
		all := s.handlers()
		change(all)
		doc, err := openapi3.NewLoader().LoadFromData(api.OpenAPI)
		require.NoError(t, err)
		return s.register(gin.New(), doc, all)
	}
	require.NoError(t, register(func(map[string]handler) {}))
	for want, change := range map[string]func(map[string]handler){
		"nothing serves nameReel":                       func(m map[string]handler) { delete(m, "nameReel") },
		"no operation paintReel":                        func(m map[string]handler) { m["paintReel"] = handle(s.nameReel) },
		"removeReel: httpapi.ofTake has [take]":         func(m map[string]handler) { m["removeReel"] = handle(s.ofAnotherPath) },
		"getDecisionList: contract.ListFilesParams has": func(m map[string]handler) { m["getDecisionList"] = handle(s.ofAnotherQuery) },
	} {
		// Whichever order operations are looked at in, this is the only thing that is wrong.
		assert.ErrorContains(t, register(change), want)
	}
}

func (s *server) ofAnotherPath(context.Context, ofTake, none) (none, error) { return none{}, nil }

func (s *server) ofAnotherQuery(context.Context, ofReel, contract.ListFilesParams) (none, error) {
	return none{}, nil
}

func TestBodiesAreTakenApartWithinBounds(t *testing.T) {
	take := func(s string) (any, int64, error) {
		d := decoder{Decoder: json.NewDecoder(bytes.NewReader([]byte(s)))}
		d.UseNumber()
		v, err := d.value(0)
		return v, d.values, err
	}
	v, n, err := take(`{"a": [1, 2.5, "x", null, true, {}], "b": {"c": []}, "a2": -3}`)
	require.NoError(t, err)
	assert.Equal(t, map[string]any{"a": []any{json.Number("1"), json.Number("2.5"), "x", nil, true, map[string]any{}}, "b": map[string]any{"c": []any{}}, "a2": json.Number("-3")}, v)
	assert.EqualValues(t, 11, n)
	nested := func(deep int) string { return strings.Repeat("[", deep) + strings.Repeat("]", deep) }
	_, _, err = take(nested(mostDepth + 1))
	require.NoError(t, err)
	for bad, says := range map[string]string{
		nested(mostDepth + 2):                         "nested",
		"[" + strings.Repeat("0,", mostValues) + "0]": "more than",
		`{"at": 9223372036854775807}`:                 "beyond every position",
		`[1, 2`:                                       "no JSON",
		`{"a": }`:                                     "no JSON",
		`{1: 2}`:                                      "no JSON",
		``:                                            "no JSON",
		`nul`:                                         "no JSON",
	} {
		_, _, err := take(bad)
		assert.ErrorContains(t, err, says, "%.20s", bad)
	}
}
