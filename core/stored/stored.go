// Package stored reads what was written as JSON before its fields had names of their own there.
package stored

import (
	"bytes"
	"encoding/json"
	"strings"
	"unicode"
)

// Decode reads an object into a struct whose fields have names like sample_rate. One that was written under the names of
// Go (SampleRate) is read as well, with the objects in it.
func Decode(b []byte, into any) error {
	if former(b) {
		var was any
		d := json.NewDecoder(bytes.NewReader(b))
		d.UseNumber() // 64 bits stay as they are
		if err := d.Decode(&was); err != nil {
			return err
		}
		var err error
		if b, err = json.Marshal(renamed(was)); err != nil {
			return err
		}
	}
	return json.Unmarshal(b, into)
}

// renamed is a value whose objects' fields have the names of now.
func renamed(v any) any {
	switch v := v.(type) {
	case map[string]any:
		out := make(map[string]any, len(v))
		for name, f := range v {
			out[Name(name)] = renamed(f)
		}
		return out
	case []any:
		for i := range v {
			v[i] = renamed(v[i])
		}
	}
	return v
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
