package files

import (
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/core/finding"
)

// ErrAcceptForm says that accept: is written in a way in which nothing can be added to it.
var ErrAcceptForm = errors.New("accept: is a list in brackets over several lines")

// ErrNotAccepted says that something is not accepted in an estate file.
var ErrNotAccepted = errors.New("it was not accepted")

// AcceptEntry gives an acceptance as the estate file has it.
func AcceptEntry(a finding.Acceptance) string {
	value := ""
	if len(a.Values) > 0 {
		var quoted []string
		for _, v := range a.Values {
			quoted = append(quoted, scalar(v))
		}
		value = "value: [" + strings.Join(quoted, ", ") + "], "
	}
	return fmt.Sprintf("{code: %s, subject: %s, %swhy: %s, until: %s}", a.Code, scalar(a.Subject),
		value, scalar(a.Why), a.Until.Format(time.DateOnly))
}

// Accept writes into an estate file that somebody lives with something, in place of what was said
// of the same before. Comments and everything else stay as they are. The error is ErrAcceptForm,
// ErrChanged, or one of reading and writing.
func Accept(path string, a finding.Acceptance) error {
	return Change(path, byLines(func(text []byte) ([]byte, error) {
		text, _, err := withoutAccept(path, text, a.Code, a.Subject)
		if err != nil {
			return nil, err
		}
		after, err := withAccept(path, text, AcceptEntry(a))
		if err != nil {
			return nil, err
		}
		return after, holds(path, after, a)
	}))
}

// byLines hands a text over with plain line ends, and gives what comes of it those that it had.
func byLines(change func([]byte) ([]byte, error)) func([]byte) ([]byte, error) {
	return func(text []byte) ([]byte, error) {
		if !bytes.Contains(text, []byte("\r\n")) {
			return change(text)
		}
		after, err := change(bytes.ReplaceAll(text, []byte("\r\n"), []byte("\n")))
		return bytes.ReplaceAll(after, []byte("\n"), []byte("\r\n")), err
	}
}

// Withdraw takes out of an estate file that somebody lives with something. The error is
// ErrNotAccepted where nobody does, or one as of Accept.
func Withdraw(path, code, subject string) error {
	return Change(path, byLines(func(text []byte) ([]byte, error) {
		after, found, err := withoutAccept(path, text, code, subject)
		if err == nil && !found {
			err = ErrNotAccepted
		}
		return after, err
	}))
}

// holds reports whether an estate file, as it is about to be written, says what it should.
func holds(path string, text []byte, a finding.Acceptance) error {
	root, err := parseTree(path, text)
	if err != nil {
		return err
	}
	e, _ := estate.ReadUndecided(root)
	if !slices.ContainsFunc(e.Accept, func(o finding.Acceptance) bool {
		return o.Code == a.Code && o.Subject == a.Subject && o.Until.Equal(a.Until) && o.Why == a.Why &&
			slices.Equal(o.Values, a.Values)
	}) {
		return ErrAcceptForm
	}
	return nil
}

// acceptNode gives the key accept: and its value; nil where there is none.
func acceptNode(path string, text []byte) (key, value *estate.Node, err error) {
	root, err := parseTree(path, text)
	if err != nil || root == nil {
		return nil, nil, err
	}
	for _, e := range root.Entries {
		if e.Key.Text == "accept" {
			return e.Key, e.Value, nil
		}
	}
	return nil, nil, nil
}

// withAccept adds an entry to accept:, at its end.
func withAccept(path string, text []byte, entry string) ([]byte, error) {
	key, value, err := acceptNode(path, text)
	if err != nil {
		return nil, err
	}
	lines := strings.SplitAfter(string(text), "\n")
	if key == nil {
		made := string(text)
		if made != "" && !strings.HasSuffix(made, "\n") {
			made += "\n"
		}
		return []byte(made + "\naccept:\n  - " + entry + "\n"), nil
	}
	at := key.Line - 1
	if strings.HasPrefix(strings.TrimSpace(strings.TrimPrefix(lines[at], "accept:")), "[") &&
		!strings.Contains(lines[at], "]") {
		return nil, ErrAcceptForm
	}
	if value != nil && len(value.Items) > 0 && value.Items[0].Line > key.Line ||
		value == nil || value.Kind == estate.Empty {
		indent, last := "  ", at
		if value != nil && len(value.Items) > 0 {
			first := lines[value.Items[0].Line-1]
			indent = first[:len(first)-len(strings.TrimLeft(first, " "))]
			last = blockEnd(lines, value.Items[len(value.Items)-1].Line-1)
		}
		if !strings.HasSuffix(lines[last], "\n") {
			lines[last] += "\n"
		}
		return []byte(strings.Join(slices.Insert(lines, last+1, indent+"- "+entry+"\n"), "")), nil
	}
	line := lines[at]
	end := strings.LastIndex(line, "]")
	if end < 0 || !strings.Contains(line[:end], "[") {
		return nil, ErrAcceptForm
	}
	comma := ", "
	if strings.HasSuffix(strings.TrimSpace(line[:end]), "[") {
		comma = ""
	}
	lines[at] = line[:end] + comma + entry + line[end:]
	return []byte(strings.Join(lines, "")), nil
}

// blockEnd gives the last line of an item of a list that begins at a line: those behind it that are
// indented deeper.
func blockEnd(lines []string, from int) int {
	depth := len(lines[from]) - len(strings.TrimLeft(lines[from], " "))
	last := from
	for i := from + 1; i < len(lines); i++ {
		body := strings.TrimSpace(lines[i])
		if body == "" || strings.HasPrefix(body, "#") {
			continue
		}
		if len(lines[i])-len(strings.TrimLeft(lines[i], " ")) <= depth {
			break
		}
		last = i
	}
	return last
}

// lastLine gives the last line that has something.
func lastLine(lines []string) int {
	last := len(lines) - 1
	for last > 0 && lines[last] == "" {
		last--
	}
	return last
}

// withoutAccept takes an entry out of accept:, and reports whether it was there. One that stands in
// brackets with others cannot be taken out.
func withoutAccept(path string, text []byte, code, subject string) ([]byte, bool, error) {
	key, value, err := acceptNode(path, text)
	if err != nil || key == nil || value == nil {
		return text, false, err
	}
	for _, item := range value.Items {
		has := map[string]string{}
		for _, e := range item.Entries {
			has[e.Key.Text] = e.Value.Text
		}
		if has["code"] != code || has["subject"] != subject {
			continue
		}
		lines := strings.SplitAfter(string(text), "\n")
		if item.Line == key.Line || !strings.HasPrefix(strings.TrimSpace(lines[item.Line-1]), "- ") {
			return nil, false, ErrAcceptForm
		}
		from, to := item.Line-1, blockEnd(lines, item.Line-1)
		if len(value.Items) == 1 {
			from = key.Line - 1 // a key without a value is nothing
			if from > 0 && to == lastLine(lines) && strings.TrimSpace(lines[from-1]) == "" {
				from--
			}
		}
		return []byte(strings.Join(slices.Delete(lines, from, to+1), "")), true, nil
	}
	return text, false, nil
}
