package files

import (
	"slices"
	"strconv"
	"strings"

	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/record"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/core/world"
)

// about are columns of sheets' tables that say something of a row, and are not typed.
var about = []string{"step", "do", "what", "domain", "why", "check"}

// SheetOf reads a table of a sheet that write sheet made: the rows that somebody types at a place,
// records or entries. path is for faults alone. The error is a problem.List.
func SheetOf(path, place string, data []byte) ([]world.Row, error) {
	records := strings.Contains(firstLine(data), "full name")
	needed := []string{"do", "what", "domain"}
	if records {
		needed = []string{"do", "zone", "label", "type", "old value", "value"}
	}
	t, err := tableOf(path, data, needed, needed)
	if err != nil {
		return nil, err
	}
	header, err := t.reader().Read()
	if err != nil {
		return nil, problem.List{csvFault(path, err, needed)}
	}
	var rows []world.Row
	for _, r := range t.rows {
		for i, f := range r.fields {
			r.fields[i] = wording.AsWritten(f)
		}
		row := world.Row{Place: place, Do: world.Action(t.field(r, "do"))}
		if records {
			t.record(r, &row)
		} else {
			t.entry(r, header, &row)
		}
		rows = append(rows, row)
	}
	return rows, nil
}

func firstLine(data []byte) string {
	line, _, _ := strings.Cut(string(data[:min(len(data), 4096)]), "\n")
	return line
}

// record reads a record as it is typed.
func (t *table) record(r row, to *world.Row) {
	to.Zone, to.Label = plainHost(t.field(r, "zone")), t.field(r, "label")
	to.Type, _, _ = strings.Cut(t.field(r, "type"), " ")
	if to.Type == "ALIAS" {
		to.Type = record.Alias
	}
	to.Was, to.Value = t.field(r, "old value"), t.field(r, "value")
	to.TTL, _ = strconv.Atoi(t.field(r, "ttl in seconds"))
	to.Through = t.field(r, "through")
}

// entry reads what is typed on a carrier's page: a field for each box that is not empty.
func (t *table) entry(r row, header []string, to *world.Row) {
	to.Kind, to.Domain = world.EntryKind(t.field(r, "what")), plainHost(t.field(r, "domain"))
	for i, name := range header {
		if slices.Contains(about, strings.ToLower(name)) || i >= len(r.fields) || r.fields[i] == "" {
			continue
		}
		values := []string{r.fields[i]}
		if to.Kind == world.Config { // a command writes it, which names the carrier last
			_, values[0], _ = strings.Cut(values[0], "--carrier ")
		}
		if name == world.FieldProof { // one for each name
			values = strings.Split(values[0], ", ")
		}
		for _, v := range values {
			to.Fields = append(to.Fields, world.Field{Name: name, Value: v})
		}
	}
}

// plainHost gives a host in the letters that DNS has, as it is where it is none.
func plainHost(text string) string {
	if h, err := web.ParseHost(text); err == nil {
		return h.String()
	}
	return text
}
