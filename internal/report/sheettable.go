package report

import (
	"fmt"
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/act"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// The tables of a sheet: a column for each box that some form has.

var recordHead = []string{
	"step",
	"do",
	"zone",
	"label",
	"full name",
	"type",
	"old value",
	"value",
	"priority",
	"weight",
	"port",
	"flags",
	"tag",
	"rest of the value",
	"value as in a zone file",
	"strings",
	"TTL in seconds",
	"TTL",
	"through",
	"why",
	"check",
	"then it says",
}

func recordRows(lines []plan.Line) [][]string {
	var rows [][]string
	for _, l := range lines {
		ttl, long := fmt.Sprint(l.TTL), wording.DurationText(l.TTL)
		check, expect := words.Check(l.Check)
		if l.Do == act.Remove {
			ttl, long = "", ""
		}
		step := ""
		if l.Step > 0 {
			step = fmt.Sprint(l.Step)
		}
		apart := map[string]string{}
		rest := ""
		for _, b := range boxes(l) {
			apart[b[0]], rest = b[1], b[1]
		}
		rows = append(
			rows,
			[]string{
				step,
				string(l.Do),
				unicodeName(l.Zone),
				l.Label,
				l.Name,
				kindName(l.Type),
				l.Was,
				l.Value,
				apart["priority"],
				apart["weight"],
				apart["port"],
				apart["flags"],
				apart["tag"],
				rest,
				l.Dotted,
				stringsText(l.Strings),
				ttl,
				long,
				l.Through,
				doc.Unmarked(words.Because(l.Reasons)),
				check,
				expect,
			},
		)
	}
	return rows
}

func kindName(kind string) string {
	if kind == record.Alias {
		return "ALIAS (the provider's alias at the apex)"
	}
	return kind
}

// stringsText says in how many strings a text has to be typed where the form wants them apart.
func stringsText(all []string) string {
	if len(all) < 2 {
		return ""
	}
	var quoted []string
	for _, s := range all {
		quoted = append(quoted, record.Quote(s))
	}
	return strings.Join(quoted, " ")
}

// entryRows gives the entries as rows with a column for each box of the forms.
func entryRows(entries []act.Entry) ([]string, [][]string) {
	var fields []string
	for _, e := range entries {
		for _, f := range e.Fields {
			if !slices.Contains(fields, f.Name) {
				fields = append(fields, f.Name)
			}
		}
	}
	head := slices.Concat([]string{"step", "do", "what", "domain"}, fields, []string{"why", "check"})
	var rows [][]string
	for _, e := range entries {
		check, _ := words.Check(e.Check)
		row := []string{fmt.Sprint(e.Step), string(e.Action), string(e.Kind), unicodeName(e.Domain)}
		for _, name := range fields {
			var values []string
			for _, f := range e.Fields {
				if f.Name == name {
					values = append(values, words.Field(f))
				}
			}
			row = append(row, strings.Join(values, ", "))
		}
		rows = append(rows, append(row, doc.Unmarked(words.Because(e.Reasons)), check))
	}
	return head, rows
}
