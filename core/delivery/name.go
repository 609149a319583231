package delivery

import (
	"path"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"zestyloom/core/naming"
	"zestyloom/core/snag"
)

// name fills a rule's pattern, and makes of it what the spec allows.
func (p *Plan) name(rule FileRule, fields fields) (string, error) {
	name, err := naming.Expand(rule.Name, fields)
	if err != nil {
		return "", snag.Refuse("bad_pattern", "%w", err)
	}
	switch {
	case p.Test():
		name += "_TEST"
	case p.CutDown() && !strings.Contains(rule.Name, "{from}"): // two of one reel are told apart by where they begin
		name += "_CUT_" + strings.NewReplacer(":", "", ";", "").Replace(p.says(p.From))
	}
	limits, ext := p.Order.Spec.Names, Containers[rule.Container].Extension
	if limits.Letters == "plain" {
		name = plain(name)
	}
	if limits.Most > 0 && len([]rune(name+ext)) > limits.Most {
		p.problem(true, "delivery", "name_too_long", "%s%s has %d letters and the spec allows %d: shorten the production's or the reel's name, or the pattern", name, ext, len([]rune(name+ext)), limits.Most)
	}
	folder := ""
	if p.Order.Spec.Folder != "" {
		for _, part := range strings.Split(p.Order.Spec.Folder, "/") {
			f := map[string]string{}
			for _, k := range FolderFields {
				f[k] = fields[k]
			}
			made, err := naming.Expand(part, f)
			if err != nil {
				return "", snag.Refuse("bad_pattern", "%w", err)
			}
			if limits.Letters == "plain" {
				made = plain(made)
			}
			folder = path.Join(folder, made)
		}
	}
	return path.Join(folder, name+ext), nil
}

// plain writes a name in the letters that every system knows: marks are taken off letters, and what is left of others is
// a low line.
func plain(name string) string {
	return strings.Map(func(r rune) rune {
		switch {
		case unicode.Is(unicode.Mn, r):
			return -1
		case r < unicode.MaxASCII && (unicode.IsLetter(r) || unicode.IsDigit(r)) || r == '-' || r == '_':
			return r
		}
		return '_'
	}, norm.NFD.String(name))
}

// clash refuses two files of one name.
func (p *Plan) clash() error {
	var names []string
	for _, f := range p.Files {
		names = append(names, f.Name)
	}
	if n := naming.Clash(names); n != "" {
		return snag.Refuse("names_clash", "two files would both be written to %s: put {number}, {output} or another field that tells them apart into the name pattern", n)
	}
	return nil
}
