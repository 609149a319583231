package wave

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf16"
	"unicode/utf8"
)

// node is one element of an iXML document, or a comment in it. Everything is kept, known or not, so
// that a rewritten file carries what the recorder wrote.
type node struct {
	name     string // with its prefix as it was written; empty for a comment
	attrs    []xml.Attr
	text     string // character data, with the white space around it removed
	children []*node
}

// Bounds on XML from outside.
const (
	maxDepth    = 32
	maxElements = 100_000 // comments count too
)

// parseXML reads a document without entities and document types, which iXML does not need and
// hostile files use. Names keep their prefixes: name spaces are not looked into.
func parseXML(b []byte) (*node, error) {
	b, err := toUTF8(b)
	if err != nil {
		return nil, err
	}
	dec := xml.NewDecoder(bytes.NewReader(b))
	dec.CharsetReader = func(_ string, in io.Reader) (io.Reader, error) { return in, nil }
	var root *node
	var stack []*node
	var texts [][]byte // of the elements on the stack
	var before []*node // comments in front of the root
	count := 0
	for {
		tok, err := dec.RawToken()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			if root != nil && len(stack) == 0 {
				break // rubbish after the document's end
			}
			return nil, err
		}
		switch t := tok.(type) {
		case xml.StartElement:
			if count++; count > maxElements || len(stack) >= maxDepth {
				return nil, fmt.Errorf("more than %d elements or %d levels", maxElements, maxDepth)
			}
			n := &node{name: prefixed(t.Name), attrs: t.Copy().Attr}
			if len(stack) > 0 {
				top := stack[len(stack)-1]
				top.children = append(top.children, n)
			} else if root == nil {
				root = n
				root.children = before
			} else {
				return root, nil
			}
			stack, texts = append(stack, n), append(texts, nil)
		case xml.EndElement:
			if len(stack) == 0 || stack[len(stack)-1].name != prefixed(t.Name) {
				return nil, fmt.Errorf("</%s> ends an element that is not open", prefixed(t.Name))
			}
			top := len(stack) - 1
			stack[top].text = strings.TrimSpace(string(texts[top]))
			stack, texts = stack[:top], texts[:top]
		case xml.CharData:
			if len(stack) > 0 {
				texts[len(texts)-1] = append(texts[len(texts)-1], t...)
			}
		case xml.Comment:
			if count++; count > maxElements {
				return nil, fmt.Errorf("more than %d elements and comments", maxElements)
			}
			n := &node{text: string(t)}
			switch {
			case len(stack) > 0:
				top := stack[len(stack)-1]
				top.children = append(top.children, n)
			case root != nil:
				root.children = append(root.children, n)
			default:
				before = append(before, n)
			}
		case xml.Directive:
			return nil, errors.New("document types and entities are not read")
		}
	}
	if root == nil || len(stack) != 0 {
		return nil, errors.New("the document is empty or ends early")
	}
	return root, nil
}

func prefixed(n xml.Name) string {
	if n.Space != "" {
		return n.Space + ":" + n.Local
	}
	return n.Local
}

// toUTF8 removes NUL padding and a byte order mark, and converts UTF-16.
func toUTF8(b []byte) ([]byte, error) {
	u16 := func(b []byte, hi, lo int) []byte {
		u := make([]uint16, len(b)/2)
		for i := range u {
			u[i] = uint16(b[2*i+hi])<<8 | uint16(b[2*i+lo])
		}
		return []byte(string(utf16.Decode(u)))
	}
	switch {
	case bytes.HasPrefix(b, []byte{0xFF, 0xFE}):
		b = u16(b[2:], 1, 0)
	case bytes.HasPrefix(b, []byte{0xFE, 0xFF}):
		b = u16(b[2:], 0, 1)
	case len(b) > 3 && b[0] == '<' && b[1] == 0:
		b = u16(b, 1, 0)
	case len(b) > 3 && b[0] == 0 && b[1] == '<':
		b = u16(b, 0, 1)
	}
	b = bytes.TrimPrefix(b, []byte("\xEF\xBB\xBF"))
	b = bytes.Trim(b, "\x00 \t\r\n")
	if !utf8.Valid(b) { // a recorder that wrote Latin-1 under a UTF-8 heading
		r := make([]rune, len(b))
		for i, c := range b {
			r[i] = rune(c)
		}
		b = []byte(string(r))
	}
	return b, nil
}

func (n *node) child(name string) *node {
	if n == nil {
		return nil
	}
	for _, c := range n.children {
		if c.name != "" && strings.EqualFold(c.name, name) {
			return c
		}
	}
	return nil
}

// get returns the text of a child, or an empty string.
func (n *node) get(name string) string {
	if c := n.child(name); c != nil {
		return c.text
	}
	return ""
}

// at returns a child, made at the end when there is none.
func (n *node) at(name string) *node {
	if c := n.child(name); c != nil {
		return c
	}
	c := &node{name: name}
	n.children = append(n.children, c)
	return c
}

// set gives a child its text; an empty value leaves an absent child absent.
func (n *node) set(name, value string) {
	if value == "" && n.child(name) == nil {
		return
	}
	n.at(name).text = value
}

func (n *node) remove(name string) {
	kept := n.children[:0]
	for _, c := range n.children {
		if !strings.EqualFold(c.name, name) {
			kept = append(kept, c)
		}
	}
	n.children = kept
}

func (n *node) clone() *node {
	c := *n
	c.children = make([]*node, len(n.children))
	for i, k := range n.children {
		c.children[i] = k.clone()
	}
	return &c
}

// equal reports whether two elements say the same; comments do not count.
func (n *node) equal(o *node) bool {
	if !strings.EqualFold(n.name, o.name) || n.text != o.text || len(n.attrs) != len(o.attrs) {
		return false
	}
	for i, a := range n.attrs {
		if a != o.attrs[i] {
			return false
		}
	}
	a, b := n.elements(), o.elements()
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if !a[i].equal(b[i]) {
			return false
		}
	}
	return true
}

// elements are the children without the comments among them.
func (n *node) elements() (out []*node) {
	for _, c := range n.children {
		if c.name != "" {
			out = append(out, c)
		}
	}
	return out
}

func (n *node) write(b *bytes.Buffer, indent string) {
	if n.name == "" {
		// Two dashes would end a comment; they can only come from a document in another encoding.
		b.WriteString(indent + "<!--" + strings.ReplaceAll(n.text, "--", "- -") + "-->\n")
		return
	}
	b.WriteString(indent + "<" + n.name)
	for _, a := range n.attrs {
		b.WriteString(" " + prefixed(a.Name) + `="`)
		escape(b, a.Value)
		b.WriteString(`"`)
	}
	b.WriteString(">")
	escape(b, n.text)
	if len(n.children) > 0 {
		b.WriteString("\n")
		for _, c := range n.children {
			c.write(b, indent+"\t")
		}
		b.WriteString(indent)
	}
	b.WriteString("</" + n.name + ">\n")
}

// escape writes text for an element or attribute. Characters that XML can't hold become U+FFFD.
func escape(b *bytes.Buffer, s string) { _ = xml.EscapeText(b, []byte(s)) }
