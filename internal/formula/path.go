package formula

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"github.com/ohler55/ojg/jp"

	"revuelta/internal/diag"
)

// Path picks a member out of JSON, by an RFC 9535 path.
type Path struct{ expr jp.Expr }

// ErrNoJSON is the error of a text that is no JSON.
var ErrNoJSON = errors.New("is not JSON")

// ParsePath reads a path.
func ParsePath(source string) (*Path, error) {
	if !strings.HasPrefix(source, "$") {
		return nil, fmt.Errorf("the path %s does not begin with $", quote(source))
	}
	x, err := jp.ParseString(source)
	if err != nil {
		return nil, fmt.Errorf("the path %s can't be read: %v", quote(source), err)
	}
	return &Path{x}, nil
}

// Member is the name that the path picks right beneath the root, where it is so simple.
func (p *Path) Member() (string, bool) {
	if len(p.expr) == 2 {
		_, root := p.expr[0].(jp.Root)
		name, child := p.expr[1].(jp.Child)
		return string(name), root && child
	}
	return "", false
}

// Find is as Pick, and tells whether the member is there.
func (p *Path) Find(text string) (cell string, there bool, err error) {
	value, err := decode(text)
	if err != nil {
		return "", false, err
	}
	if len(p.expr.Locate(value, 1)) == 0 {
		return "", false, nil
	}
	cell, err = p.Pick(text)
	return cell, true, err
}

// String is the path as it was written, as far as the library tells.
func (p *Path) String() string { return p.expr.String() }

// Pick gives the member: a text without its quotes, a number as it stood,
// objects and arrays as JSON text, null and what is not there as blank. Several hits are an array.
func (p *Path) Pick(text string) (string, error) {
	value, err := decode(text)
	if err != nil {
		return "", err
	}
	hits := p.expr.Locate(value, 0)
	switch len(hits) {
	case 0:
		return "", nil
	case 1:
		raw, err := follow(json.RawMessage(text), hits[0])
		return Plain(raw), err
	}
	var parts []string
	for _, h := range hits {
		raw, err := follow(json.RawMessage(text), h)
		if err != nil {
			return "", err
		}
		parts = append(parts, string(raw))
	}
	return "[" + strings.Join(parts, ",") + "]", nil
}

func decode(text string) (any, error) {
	d := json.NewDecoder(strings.NewReader(text))
	d.UseNumber()
	var value any
	if err := d.Decode(&value); err != nil || strings.TrimSpace(text[d.InputOffset():]) != "" {
		return nil, ErrNoJSON
	}
	return value, nil
}

// follow finds the text of the value at a place.
func follow(raw json.RawMessage, place jp.Expr) (json.RawMessage, error) {
	for _, step := range place {
		switch s := step.(type) {
		case jp.Root:
		case jp.Child:
			var members map[string]json.RawMessage
			if err := json.Unmarshal(raw, &members); err != nil {
				return nil, ErrNoJSON
			}
			raw = members[string(s)]
		case jp.Nth:
			var items []json.RawMessage
			if err := json.Unmarshal(raw, &items); err != nil || int(s) >= len(items) || int(s) < 0 {
				return nil, ErrNoJSON
			}
			raw = items[s]
		default:
			return nil, ErrNoJSON
		}
	}
	return raw, nil
}

// Plain is what a JSON value is as a cell.
func Plain(raw json.RawMessage) string {
	s := strings.TrimSpace(string(raw))
	switch {
	case s == "null":
		return ""
	case strings.HasPrefix(s, `"`):
		var text string
		if err := json.Unmarshal([]byte(s), &text); err == nil {
			return text
		}
	}
	return s
}

func nearest(word string, names []string) string { return diag.Nearest(word, names) }
