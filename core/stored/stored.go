// Package stored reads what was written as JSON before its fields had names of their own there.
package stored

import (
	"bytes"
	"encoding/json"
	"strings"
	"unicode"
)

// Decode reads an object into a struct whose fields have names like sample_rate. One that was written under the names of
// Go (SampleRate) is read as well.
func Decode(b []byte, into any) error {
	if former(b) {
		var fields map[string]json.RawMessage
		if err := json.Unmarshal(b, &fields); err != nil {
			return err
		}
		now := make(map[string]json.RawMessage, len(fields))
		for name, v := range fields {
			now[Name(name)] = v
		}
		var err error
		if b, err = json.Marshal(now); err != nil {
			return err
		}
	}
	return json.Unmarshal(b, into)
}

// former looks at the first field's name.
func former(b []byte) bool {
	_, rest, _ := bytes.Cut(b, []byte{'"'})
	return len(rest) > 0 && unicode.IsUpper(rune(rest[0]))
}

// Name is a field's name in JSON by that in Go: production_id for ProductionID.
func Name(field string) string {
	var out strings.Builder
	letters := []rune(field)
	for i, r := range letters {
		if i > 0 && unicode.IsUpper(r) && (!unicode.IsUpper(letters[i-1]) || i+1 < len(letters) && unicode.IsLower(letters[i+1])) {
			out.WriteByte('_')
		}
		out.WriteRune(unicode.ToLower(r))
	}
	return out.String()
}
