package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"unicode"

	"github.com/spf13/cobra"

	"zestyloom/core/snag"
)

// count says how many of something there are: "1 channel", "3 channels".
func count[N int | int64](n N, what string) string {
	if n == 1 {
		return "1 " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// shown is a path or name for a line of text: what would break the line or drive a terminal is escaped.
func shown(s string) string {
	plain := func(r rune) bool { return r != unicode.ReplacementChar && (unicode.IsPrint(r) || r == ' ') }
	if strings.IndexFunc(s, func(r rune) bool { return !plain(r) }) < 0 {
		return s
	}
	q := strconv.Quote(s)
	return strings.ReplaceAll(q[1:len(q)-1], `\"`, `"`)
}

// remedies are the options by which a command allows what it refused.
var remedies = map[string]map[string]string{
	"split":   {"exists": "--force", "names_clash": "--name"},
	"join":    {"exists": "--force", "length_differs": "--pad", "family_differs": "--anyway", "take_differs": "--anyway", "start_differs": "--anyway"},
	"gather":  {"exists": "--force", "length_differs": "--anyway"},
	"label":   {"exists": "--force"},
	"extract": {"exists": "--force"},
	"correct": {"exists": "--force"},
	"cuts":    {"exists": "--force"},
	"convert": {"exists": "--force", "bad_coding": "--coding", "too_large": "--container"},
	"route":   {"exists": "--force"},
	"tone":    {"exists": "--force"},
	"unwrap":  {"exists": "--force"},
	"wrap":    {"exists": "--force"},
	"deliver": {"exists": "--force"},
}

// remedy is what a refusal's message ends with where an option of the command would help.
func remedy(cmd *cobra.Command, err error) string {
	if o := remedies[cmd.Name()][snag.Of(err).Code]; o != "" {
		return " (option " + o + ")"
	}
	return ""
}

// failure is a file that could not be read or written, as a line of JSON.
type failure struct {
	Path  string        `json:"path"`
	Error *snag.Refusal `json:"error"`
}

// refused tells of a failure: as a line of JSON where that was asked for, else on standard error.
func refused(cmd *cobra.Command, asJSON bool, path string, err error) error {
	var bad *snag.Refusal
	if errors.As(err, &bad) && (bad.Code == "bad_channels" || bad.Code == "bad_pattern") {
		return UsageError{err}
	}
	if cmd.Context().Err() != nil {
		return cmd.Context().Err() // stopped: nothing is wrong with the file
	}
	r := *snag.Of(err)
	r.Message += remedy(cmd, err)
	if asJSON {
		if err := encode(cmd, failure{path, &r}); err != nil {
			return err
		}
		return Reported{}
	}
	fmt.Fprintf(cmd.ErrOrStderr(), "%s: %s\n", shown(path), shown(r.Message))
	return Reported{}
}

// encode writes one line of JSON.
func encode(cmd *cobra.Command, v any) error {
	enc := json.NewEncoder(cmd.OutOrStdout())
	enc.SetEscapeHTML(false)
	return enc.Encode(v)
}

// sayf writes a line of the command's answer.
func sayf(cmd *cobra.Command, format string, args ...any) {
	fmt.Fprintf(cmd.OutOrStdout(), format+"\n", args...)
}

// saySnags writes what is amiss, a line each.
func saySnags(cmd *cobra.Command, snags []snag.Snag) {
	for _, s := range snags {
		sayf(cmd, "! %s", shown(s.Message))
	}
}

func fmtInt(n int64) string { return strconv.FormatInt(n, 10) }

func numbers(channels []int) string {
	s := make([]string, len(channels))
	for i, c := range channels {
		s[i] = strconv.Itoa(c)
	}
	return strings.Join(s, "-")
}
