// Command man writes the manual pages: a page a command, from the program's own help.
//
//	go run ./docs/man FOLDER
package main

import (
	"fmt"
	"os"
	"path/filepath"
	"runtime/debug"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"upperpath.example/upperpath/internal/cli"
)

func main() {
	if len(os.Args) != 2 {
		fmt.Fprintln(os.Stderr, "usage: go run ./docs/man FOLDER")
		os.Exit(2)
	}
	if err := write(os.Args[1], day()); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// day is when the version was made, as YYYY-MM-DD; today where nobody says.
func day() string {
	if info, ok := debug.ReadBuildInfo(); ok {
		for _, s := range info.Settings {
			if s.Key == "vcs.time" && len(s.Value) >= len(time.DateOnly) {
				return s.Value[:len(time.DateOnly)]
			}
		}
	}
	return time.Now().Format(time.DateOnly)
}

// write writes a page for each command into a folder.
func write(folder, date string) error {
	if err := os.MkdirAll(folder, 0o777); err != nil {
		return fmt.Errorf("making the folder of the pages: %w", err)
	}
	var walk func(*cobra.Command) error
	walk = func(c *cobra.Command) error {
		path := filepath.Join(folder, name(c)+".1")
		if err := os.WriteFile(path, []byte(page(c, date)), 0o666); err != nil {
			return fmt.Errorf("writing a page: %w", err)
		}
		for _, below := range c.Commands() {
			if err := walk(below); err != nil {
				return err
			}
		}
		return nil
	}
	return walk(cli.Root())
}

func name(c *cobra.Command) string { return strings.ReplaceAll(c.CommandPath(), " ", "-") }

// page gives the page of a command in the man language (man(7)).
func page(c *cobra.Command, date string) string {
	c.InitDefaultHelpFlag()
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	line(`.TH %s 1 %s "Upper Path" "Upper Path"`, strings.ToUpper(name(c)), date)
	line(".SH NAME\n%s \\-\n%s", literal(name(c)), filled(c.Short))
	line(".SH SYNOPSIS\n.B %s", literal(strings.TrimSuffix(c.UseLine(), " [flags]")))
	if c.HasAvailableLocalFlags() {
		line("[OPTIONS]")
	}
	line(".SH DESCRIPTION")
	for i, paragraph := range strings.Split(strings.TrimSpace(c.Long), "\n\n") {
		if i > 0 {
			line(".PP")
		}
		line("%s", filled(paragraph))
	}
	if below := c.Commands(); len(below) > 0 {
		line(".SH COMMANDS")
		for _, o := range below {
			line(".TP\n.B %s\n%s", literal(o.Name()), filled(o.Short))
		}
	}
	options(&b, "OPTIONS", c.LocalFlags())
	options(&b, "OPTIONS OF EVERY COMMAND", c.InheritedFlags())
	if c.HasExample() {
		line(".SH EXAMPLES\n.EX")
		for _, l := range strings.Split(c.Example, "\n") {
			line("%s", literal(l))
		}
		line(".EE")
	}
	if c.HasParent() {
		line(".SH SEE ALSO\n.BR %s (1)", literal(name(c.Parent())))
	}
	return b.String()
}

func options(b *strings.Builder, title string, all *pflag.FlagSet) {
	begun := false
	all.VisitAll(func(f *pflag.Flag) {
		if f.Hidden {
			return
		}
		if !begun {
			fmt.Fprintf(b, ".SH %s\n", title)
			begun = true
		}
		placeholder, usage := pflag.UnquoteUsage(f)
		option := `\fB` + literal("--"+f.Name) + `\fR`
		if f.Shorthand != "" {
			option = `\fB` + literal("-"+f.Shorthand) + `\fR, ` + option
		}
		if placeholder != "" {
			option += ` \fI` + literal(placeholder) + `\fR`
		}
		fmt.Fprintf(b, ".TP\n%s\n%s\n", option, filled(usage))
	})
}

// filled gives prose in lines of less than 80 bytes, which whoever shows it fills anew.
func filled(s string) string {
	var lines []string
	line := ""
	for _, word := range strings.Fields(s) {
		if word = literal(word); line != "" && len(line)+1+len(word) > 76 {
			lines, line = append(lines, line), ""
		}
		if line != "" {
			line += " "
		}
		line += word
	}
	return strings.Join(append(lines, line), "\n")
}

// literal gives a text in which nothing is a request or an escape.
func literal(s string) string {
	s = strings.ReplaceAll(s, `\`, `\e`)
	s = strings.ReplaceAll(s, "-", `\-`)
	if strings.HasPrefix(s, ".") || strings.HasPrefix(s, "'") {
		s = `\&` + s
	}
	return s
}
