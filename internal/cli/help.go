package cli

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"upperpath.example/upperpath/internal/doc"
)

// helpWidth is how many columns help takes: those of the narrowest terminal that people work in.
const helpWidth = 80

// group is the annotation of an option that is shown under a topic of help, and not with each
// command that has it.
const group = "group"

// lookingName is the topic of the options with which all commands look at the web.
const lookingName = "looking"

// usageTemplate has the examples at the end, where the eye is when help has scrolled by.
const usageTemplate = `{{if .Runnable}}Usage: {{useLine .}}
{{else if .HasAvailableSubCommands}}Usage: {{.CommandPath}} COMMAND [OPTIONS]
{{end}}{{if .HasAvailableSubCommands}}{{$cmds := .Commands}}{{if eq (len .Groups) 0}}
Commands:{{range $cmds}}{{if .IsAvailableCommand}}
  {{rpad .Name .NamePadding }} {{.Short}}{{end}}{{end}}
{{else}}{{range $group := .Groups}}
{{.Title}}{{range $cmds}}{{if
	and (eq .GroupID $group.ID) (or .IsAvailableCommand (eq .Name "help"))}}
  {{rpad .Name .NamePadding }} {{.Short}}{{end}}{{end}}
{{end}}{{end}}{{end}}{{with options .}}
Options:
{{.}}{{end}}{{if .HasAvailableSubCommands}}
{{.CommandPath}} COMMAND --help says more about each.
{{end}}{{if .HasExample}}
Examples:
{{.Example}}
{{end}}`

func init() {
	cobra.AddTemplateFunc("options", optionLines)
	cobra.AddTemplateFunc("useLine", useLine)
}

// showHelp writes the help of a command, in one piece: an output that takes nothing is noticed
// where all outputs are.
func showHelp(c *cobra.Command, _ []string) {
	fmt.Fprint(c.OutOrStdout(), reflow(cmp.Or(c.Long, c.Short))+"\n\n"+
		strings.TrimLeft(c.UsageString(), "\n"))
}

func useLine(c *cobra.Command) string {
	line := c.UseLine()
	if rest, has := strings.CutSuffix(line, " [flags]"); has {
		return rest + " [OPTIONS]"
	}
	return line
}

// optionLines gives the options of a command as its help shows them: its own, and where to read
// about those that others have too.
func optionLines(c *cobra.Command) string {
	var names, texts []string
	looking := false
	c.LocalFlags().VisitAll(func(f *pflag.Flag) {
		switch {
		case f.Hidden || f.Name == "help" && c.HasParent():
		case len(f.Annotations[group]) > 0 && c.Name() != lookingName:
			looking = true
		default:
			name, text := optionText(f)
			names, texts = append(names, name), append(texts, text)
		}
	})
	widest := 0
	for _, name := range names {
		if n := len(name); n <= widestOption {
			widest = max(widest, n)
		}
	}
	var b strings.Builder
	for i, name := range names {
		gap := max(2, widest+2-len(name))
		for _, line := range doc.Lay(doc.Phrase(texts[i]), helpWidth-4-max(widest, len(name)),
			doc.Style{}) {
			b.WriteString("  " + name + strings.Repeat(" ", gap) + line + "\n")
			name, gap = "", widest+2
		}
	}
	if looking {
		b.WriteString("How to look (--resolver, --proxy, --point, --timeout …): upperpath help " +
			lookingName + "\n")
	}
	return b.String()
}

// widestOption is how many columns an option may have that stands in line with the others.
const widestOption = 22

// optionText gives an option with its placeholder, and what it does with its default.
func optionText(f *pflag.Flag) (name, text string) {
	placeholder, text := pflag.UnquoteUsage(f)
	name = "--" + f.Name
	if f.Shorthand != "" {
		name = "-" + f.Shorthand + ", " + name
	}
	if placeholder != "" {
		name += " " + placeholder
	}
	switch f.DefValue {
	case "", "0", "false", "[]", "0s":
	default:
		text += " (default: " + f.DefValue + ")"
	}
	return name, text
}

// reflow breaks prose anew, paragraph by paragraph, into the columns of help.
func reflow(s string) string {
	var all []string
	for _, paragraph := range strings.Split(strings.TrimSpace(s), "\n\n") {
		words := strings.Join(strings.Fields(paragraph), " ")
		all = append(all, strings.Join(doc.Lay(doc.Phrase(words), helpWidth, doc.Style{}), "\n"))
	}
	return strings.Join(all, "\n\n")
}

// looking is the topic of the options with which commands look at the web.
func (p *program) looking() *cobra.Command {
	c := &cobra.Command{
		Use:   lookingName,
		Short: "Options for looking: from where, through what, how fast",
		Long: `Every command that looks at the web takes these options. A vantage in the estate file,
or a file of its own, holds most of them under one name, for --from. Without --from, the
variable UPPERPATH_FROM names it, or else from: in the estate file. Without any, the
system's own resolvers are asked.

--point tries a host at another address before its record changes, such as
--point www.northmoor.example=203.0.113.20, and --as-of tells which certificates will have ended.`,
	}
	var o vantageOptions
	o.flags(c)
	return c
}

// asLooking puts the options that were added since into the group of those for looking, but for one
// that is called otherwise there.
func asLooking(f *pflag.FlagSet, before []string, usual, called string) {
	f.VisitAll(func(flag *pflag.Flag) {
		if slices.Contains(before, flag.Name) || flag.Name == called && called != usual {
			return
		}
		_ = f.SetAnnotation(flag.Name, group, []string{lookingName})
	})
}

func flagNames(f *pflag.FlagSet) []string {
	var all []string
	f.VisitAll(func(flag *pflag.Flag) { all = append(all, flag.Name) })
	return all
}
