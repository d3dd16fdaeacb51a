package report

import (
	"slices"
	"strings"

	"upperpath.example/upperpath/internal/core/estate"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/words"
)

// sections are the parts of the estate file, with what is said of each.
var sections = []struct{ name, title, about string }{
	{"", "At the top", ""},
	{"site", "site", ""},
	{"carriers", "carriers.NAME", "Each carrier by a name of your choice."},
	{"domains", "domains, and defaults",
		"Each domain is a mapping with these keys, or its name alone."},
	{"needed", "domains.needed.HOST", "Each host with who needs it, or with a mapping."},
	{"wanted", "wanted", "Of domains and carriers."},
	{"policy", "policy", ""},
	{"registry", "registry", ""},
	{"vantages", "vantages.NAME", ""},
	{"places", "places.NAME", "Each place by the name that records-at: has; see carrying.md."},
}

// EstatePage is the page of all keys of the estate file in the docs.
func EstatePage() doc.Doc {
	blocks := []doc.Block{
		doc.Paragraph{Text: doc.Cat(
			doc.Phrase("One YAML file, "),
			doc.Copy("upperpath.yaml"),
			doc.Phrase(", says what a client owns and what should become of it. Its keys, made from the "+
				"program's own table ("),
			doc.Copy("make docs"),
			doc.Phrase("). Editors that know JSON Schema take "),
			doc.Copy(
				"docs/schema/estate.json",
			),
			doc.Phrase(". Paths are relative to the file. An unknown key is an error that names the "+
				"nearest "+
				"one."),
		)},
	}
	for _, s := range sections {
		t := doc.Table{Sheet: s.title,
			Head: []string{"key", "type", "default", "example", "what it says"}}
		for _, k := range estate.Keys() {
			if k.Section != s.name {
				continue
			}
			kind := k.Type
			if k.Words != nil {
				kind = strings.Join(k.Words, ", ")
			}
			t.Rows = append(
				t.Rows,
				[]doc.Cell{{Text: doc.Copy(k.Name)}, {Text: doc.Phrase(kind)},
					{Text: doc.Phrase(words.KeyDefault(k))},
					{Text: doc.Copy(k.Example)},
					{Text: doc.Phrase(words.KeyMeans(k.Section, k.Name))}},
			)
		}
		blocks = append(blocks, doc.Heading{Level: 2, Text: s.title, About: s.about}, t)
	}
	return doc.Doc{Name: "estate", Title: "The estate file", Blocks: doc.Of(blocks...),
		Data: estateSchema()}
}

// estateSchema is a JSON Schema of the estate file, for editors.
func estateSchema() map[string]any {
	properties := func(section string, without ...string) map[string]any {
		all := map[string]any{}
		for _, k := range estate.Keys() {
			if k.Section == section && !slices.Contains(without, k.Name) {
				all[k.Name] = keySchema(k)
			}
		}
		return all
	}
	object := func(section string, without ...string) map[string]any {
		return map[string]any{"type": "object", "additionalProperties": false,
			"properties": properties(section, without...)}
	}
	carrier := object("carriers")
	carrier["required"] = []string{"by"}
	domain := object("domains")
	domain["required"] = []string{"name"}
	wanted := object("wanted")
	wanted["required"] = []string{"name", "type", "value"}
	place := object("places")
	place["required"] = []string{"send"}
	top := object("")
	top["$id"] = "https://upperpath.example/schema/estate.json"
	top["$schema"], top["title"] = "https://json-schema.org/draft/2020-12/schema",
		"The estate file of Upper Path"
	top["required"] = []string{"canonical", "domains"}
	top["$defs"] = map[string]any{
		"site": object(
			"site",
		), "policy": object("policy"), "registry": object("registry"), "carrier": carrier,
		"domain":   domain,
		"defaults": object("domains", "name"), "wanted": wanted, "needed": object("needed"),
		"vantage": object("vantages"), "place": place,
	}
	return top
}

// keySchema says what a key takes, as an editor checks it.
func keySchema(k estate.Key) map[string]any {
	ref := func(name string) map[string]any { return map[string]any{"$ref": "#/$defs/" + name} }
	each := func(of map[string]any) map[string]any {
		return map[string]any{"type": "object", "additionalProperties": of}
	}
	listOf := func(of map[string]any) map[string]any {
		return map[string]any{"oneOf": []any{of, map[string]any{"type": "array", "items": of}}}
	}
	text := map[string]any{"type": []string{"string", "number"}}
	var s map[string]any
	switch {
	case k.Name == "defaults":
		s = ref("defaults")
	case k.Name == "carriers":
		s = each(ref("carrier"))
	case k.Name == "vantages":
		s = each(ref("vantage"))
	case k.Name == "places":
		s = each(ref("place"))
	case k.Name == "domains":
		s = map[string]any{
			"type":  "array",
			"items": map[string]any{"oneOf": []any{map[string]any{"type": "string"}, ref("domain")}},
		}
	case k.Name == "carrier" && k.Section == "domains":
		s = map[string]any{"oneOf": []any{text, each(text)}}
	case k.Type == "origin":
		s = map[string]any{"oneOf": []any{text, map[string]any{"type": "array", "items": text},
			each(listOf(text))}}
	case k.Name == "needed":
		s = each(map[string]any{"oneOf": []any{text, ref("needed")}})
	case k.Name == "further-sites":
		s = listOf(map[string]any{"type": "object", "required": []any{"canonical"}})
	case k.Type == "list of wanted":
		s = listOf(ref("wanted"))
	case k.Type == "site" || k.Type == "policy" || k.Type == "registry":
		s = ref(k.Type)
	case strings.HasPrefix(k.Type, "list of"), k.Type == "addresses":
		item := text
		if k.Words != nil {
			item = map[string]any{"enum": k.Words}
		}
		s = listOf(item)
	case k.Type == "yes or no":
		s = map[string]any{"enum": []any{"yes", "no", true, false}}
	case k.Type == "number":
		s = map[string]any{"type": "integer"}
	case k.Words != nil:
		s = map[string]any{"enum": k.Words}
	default:
		s = map[string]any{"type": []string{"string", "number"}}
	}
	s["description"] = words.KeyMeans(k.Section, k.Name)
	return s
}
