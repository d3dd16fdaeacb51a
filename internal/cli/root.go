// Package cli is the command line: flags in, core and the edges called, a report out. It computes
// nothing.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/signal"
	"runtime"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"upperpath.example/upperpath/internal/core/crew"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/files"
)

// Version is set when a release is built.
var Version = "dev"

// The exit codes.
const (
	exitFine        = 0
	exitFindings    = 1
	exitUsage       = 2
	exitFailed      = 3
	exitInterrupted = 130
)

// ended is an error with an exit code of its own.
type ended struct {
	code int
	err  error // nil: there is nothing more to say
}

func (e ended) Error() string {
	if e.err == nil {
		return fmt.Sprintf("exit code %d", e.code)
	}
	return e.err.Error()
}

func (e ended) Unwrap() error { return e.err }

// failed says that a command could not be carried out.
func failed(err error) error { return ended{exitFailed, err} }

// usage says that a command was used badly.
func usage(format string, args ...any) error {
	return ended{exitUsage, fmt.Errorf(format, args...)}
}

// program is what every command works with.
type program struct {
	in      io.Reader
	out     *outlet
	err     *outlet
	verbose bool
	quiet   bool
	only    string      // the part of the estate that is meant; "": all of it
	keeping sync.Mutex  // held while what was seen is kept
	kept    atomic.Bool // something was
	started bool        // the command line was understood, and the command began
}

// Run runs the command line and returns the exit code.
func Run(args []string, in io.Reader, out, err io.Writer) int {
	// Whoever started us may have had some ignored, as nohup does: they stay so.
	minded := slices.DeleteFunc(slices.Clone(endings), signal.Ignored)
	ctx, stop := signal.NotifyContext(context.Background(), minded...)
	defer stop()
	// A pipe whose reader has left is an error of the writing, and not the end: what was seen is kept
	// first.
	signal.Ignore(syscall.SIGPIPE)
	ended := make(chan struct{})
	defer close(ended)
	shown, said := &outlet{to: out, color: colored(out)}, &outlet{to: err}
	p := &program{in: in, out: shown, err: said}
	defer said.flush()
	go p.leaveInTime(ctx, ended)
	root := p.root()
	root.SetArgs(args)
	code := p.guarded(func() int { return p.exit(ctx, root.ExecuteContext(ctx)) })
	shown.flush()
	if shown.err != nil && !errors.Is(shown.err, syscall.EPIPE) && code <= exitFindings {
		p.complain(fmt.Errorf("the output of this command could not be written completely: %w",
			shown.err))
		return exitFailed
	}
	return code
}

// mostWait is how long an interrupted command has to come to its end by itself.
const mostWait = 400 * time.Millisecond

// leaveInTime ends the program where an interrupt has come and the command does not end by itself,
// because it is busy with something that cannot be stopped. What is being kept or written then is
// kept and written first.
func (p *program) leaveInTime(ctx context.Context, ended <-chan struct{}) {
	soon := func() bool {
		select {
		case <-ended:
			return true
		case <-time.After(mostWait):
			return false
		}
	}
	select {
	case <-ended:
		return
	case <-ctx.Done():
	}
	if soon() {
		return
	}
	if !p.keeping.TryLock() { // what was seen is being kept: then there is something to say as well
		p.keeping.Lock()
		if soon() {
			return
		}
	}
	files.Settle()
	p.out.flush()
	p.saidInterrupted()
	p.err.flush()
	os.Exit(exitInterrupted)
}

func (p *program) saidInterrupted() {
	says := "upperpath: interrupted"
	if p.kept.Load() {
		says += "; what was seen by then is saved"
	}
	fmt.Fprintln(p.err, says)
}

// guarded turns a panic into one sentence and a file that says where it was, without what the input
// held.
func (p *program) guarded(run func() int) (code int) {
	defer func() {
		fault := recover()
		if fault == nil {
			return
		}
		code = exitFailed
		stack := debug.Stack()
		if elsewhere, ok := fault.(*crew.Fault); ok {
			fault, stack = elsewhere.Value, elsewhere.Stack
		}
		what := fmt.Sprintf("a panic of type %T", fault)
		if e, ok := fault.(runtime.Error); ok {
			what = e.Error()
		}
		text := fmt.Sprintf(
			"Upper Path %s, %s, %s/%s\n%s\n\n%s",
			version(),
			runtime.Version(),
			runtime.GOOS,
			runtime.GOARCH,
			what,
			stack,
		)
		told := "the details could not be written down"
		if f, err := os.CreateTemp("", "upperpath-fault-*.txt"); err == nil {
			_, err = f.WriteString(text)
			if err = errors.Join(err, f.Close()); err == nil {
				told = "please send us " + f.Name() + ", which contains none of your data"
			}
		}
		p.complain(fmt.Errorf("this is a bug in Upper Path; %s", told))
	}()
	return run()
}

func (p *program) exit(ctx context.Context, err error) int {
	var e ended
	var faults problem.List
	switch {
	case err == nil:
		return exitFine
	case errors.Is(err, syscall.EPIPE):
		return exitFine // the reader of a pipe has seen enough
	case ctx.Err() != nil:
		p.saidInterrupted()
		return exitInterrupted
	case errors.As(err, &e):
		if e.err != nil {
			p.complain(e.err)
		}
		return e.code
	case errors.As(err, &faults):
		p.complain(err)
		return exitUsage
	}
	p.complain(err)
	if p.started {
		return exitFailed
	}
	return exitUsage
}

func (p *program) complain(err error) {
	for line := range strings.SplitSeq(err.Error(), "\n") {
		if line = strings.ReplaceAll(line, "\t", "  "); strings.TrimSpace(line) != "" {
			fmt.Fprintln(p.err, "upperpath: "+web.MaskedWords(line))
		}
	}
}

// Root gives the command line as it is, for those who write it down.
func Root() *cobra.Command {
	p := &program{in: strings.NewReader(""), out: &outlet{to: io.Discard},
		err: &outlet{to: io.Discard}}
	return p.root()
}

func (p *program) root() *cobra.Command {
	cobra.EnableCommandSorting = false
	root := &cobra.Command{
		Use:   "upperpath",
		Short: "Consolidate domains onto one site, and prove it",
		Long: `Upper Path leads every door of every domain that a client owns to one canonical
site. Start with look, plan, audit. To see it all at once: upperpath demo`,
		Example: `  upperpath demo --dir northmoor
  upperpath stage northmoor/stage      # in another terminal; here: cd northmoor
  upperpath plan`,
		SilenceErrors: true,
		SilenceUsage:  true,
		Version:       version(),
		PersistentPreRunE: func(c *cobra.Command, _ []string) error {
			if f := c.Flags().Lookup("only"); f != nil {
				p.only = f.Value.String()
			}
			if _, err := clockSet(); err != nil {
				return err
			}
			p.started = true
			level := slog.LevelWarn
			if p.verbose {
				level = slog.LevelDebug
			}
			slog.SetDefault(slog.New(slog.NewTextHandler(p.err, &slog.HandlerOptions{Level: level})))
			return nil
		},
	}
	root.SetIn(p.in)
	root.SetOut(p.out)
	root.SetErr(p.err)
	root.SetFlagErrorFunc(optionFault)
	root.SetUsageTemplate(usageTemplate)
	root.SetHelpFunc(showHelp)
	root.SetVersionTemplate("upperpath {{.Version}}\n")
	f := root.PersistentFlags()
	f.BoolVarP(&p.verbose, "verbose", "v", false, "log progress to stderr, with any command")
	f.BoolVarP(&p.quiet, "quiet", "q", false,
		"show the verdict only, and no progress, with any command")
	root.AddGroup(
		&cobra.Group{ID: "work", Title: "The work, in its order:"},
		&cobra.Group{ID: "other", Title: "Other commands:"},
	)
	for _, c := range []*cobra.Command{p.look(), p.newEstate(), p.survey(), p.inventory(),
		p.gather(), p.cover(), p.pair(),
		p.plan(), p.prove(),
		p.rules(), p.rehearse(), p.write(), p.runbook(), p.send(), p.await(), p.audit(),
		p.report(), p.compare(),
		p.recheck()} {
		c.GroupID = "work"
		root.AddCommand(c)
	}
	for _, c := range []*cobra.Command{p.demo(), p.stage(), p.explain(), p.version(), p.looking()} {
		c.GroupID = "other"
		root.AddCommand(c)
	}
	root.SetHelpCommandGroupID("other")
	root.SetCompletionCommandGroupID("other")
	root.InitDefaultHelpCmd()
	root.InitDefaultCompletionCmd()
	completion(root)
	for _, c := range root.Commands() {
		if c.HasSubCommands() {
			c.Args, c.RunE = knownCommand, func(c *cobra.Command, _ []string) error { return c.Help() }
		}
		if c.Name() == "help" {
			c.RunE = func(_ *cobra.Command, args []string) error {
				about, rest, err := root.Find(args)
				if err != nil || len(rest) > 0 {
					return knownCommand(about, rest)
				}
				return about.Help()
			}
		}
	}
	return root
}

// knownCommand refuses a word where a command below c is expected, and names the nearest that there
// is.
func knownCommand(c *cobra.Command, args []string) error {
	if len(args) == 0 {
		return nil
	}
	var names []string
	for _, below := range c.Commands() {
		if below.IsAvailableCommand() {
			names = append(names, below.Name())
		}
	}
	remedy := "its commands are " + strings.Join(names, ", ")
	if near := problem.Nearest(args[0], names); near != "" {
		remedy = "did you mean " + near + "?"
	} else if len(names) == 0 {
		remedy = "it has none"
	}
	return ended{exitUsage, fmt.Errorf("%s has no command %q; %s", c.CommandPath(), args[0], remedy)}
}

func (p *program) version() *cobra.Command {
	return &cobra.Command{
		Use:     "version",
		Short:   "Say which version this is",
		Long:    "version says which version of Upper Path this is, as --version does.",
		Example: "  upperpath version",
		Args:    cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			_, err := fmt.Fprintln(p.out, "upperpath "+version())
			return err
		},
	}
}

func version() string {
	info, ok := debug.ReadBuildInfo()
	if Version == "dev" && ok && info.Main.Version != "" && info.Main.Version != "(devel)" {
		return info.Main.Version
	}
	return Version
}

// output is the options of commands that have a result.
type output struct {
	format string
	failOn string
	detail bool
	more   string // the option that asks for detail
}

// flags adds the options of a command whose result decides on the exit code.
func (o *output) flags(c *cobra.Command) {
	o.formatFlag(c)
	c.Flags().StringVar(&o.failOn, "fail-on", "error",
		"exit with 1 from this `SEVERITY` up: error, warning, note, never")
	_ = c.RegisterFlagCompletionFunc(
		"fail-on",
		cobra.FixedCompletions([]string{"error", "warning", "note", "never"},
			cobra.ShellCompDirectiveNoFileComp),
	)
}

// formatFlag adds the option that chooses the form of a result.
func (o *output) formatFlag(c *cobra.Command) {
	formats := doc.Formats()
	c.Flags().StringVar(&o.format, "format", "text",
		"the output `FORMAT`: "+strings.Join(formats, ", "))
	_ = c.RegisterFlagCompletionFunc("format",
		cobra.FixedCompletions(formats, cobra.ShellCompDirectiveNoFileComp))
}

// chainFlag adds the option that shows every chain.
func (o *output) chainFlag(c *cobra.Command) {
	o.more = "--chains"
	c.Flags().BoolVar(&o.detail, "chains", false,
		"show every chain hop by hop, also those without problems")
}

func (o *output) check() error {
	wording.Uncut(o.format == "json")
	formats := doc.Formats()
	if !contains(formats, o.format) {
		near := ""
		if n := problem.Nearest(o.format, formats); n != "" {
			near = "; did you mean " + n + "?"
		}
		return usage("--format %s: expected one of %s%s", o.format, strings.Join(formats, ", "), near)
	}
	if o.failOn != "" && !contains([]string{"error", "warning", "note", "never"}, o.failOn) {
		return usage("--fail-on %s: expected one of error, warning, note, never", o.failOn)
	}
	return nil
}

// show writes a result in the form that was chosen.
func (p *program) show(d doc.Doc, o *output) error {
	if _, is := terminal(p.out.to); is && doc.Binary(o.format) {
		return usage("--format %s is not for a terminal; write it to a file: > result.%[1]s",
			o.format)
	}
	d.About = ofPart(d, p.only)
	style := p.style()
	style.Detail, style.More, style.Quiet = o.detail, o.more, p.quiet
	if doc.Binary(o.format) {
		return doc.Write(p.out.raw(), o.format, d, style)
	}
	return doc.Write(p.out, o.format, d, style)
}

// ofPart gives what is said below a document's title, with the part of the estate that it is about,
// where it is one.
func ofPart(d doc.Doc, only string) string {
	switch part := "only " + only; {
	case only == "" || strings.Contains(d.About, part):
		return d.About
	case d.About == "":
		return part
	default:
		return d.About + "; " + part
	}
}

// tell writes a document as text.
func (p *program) tell(d doc.Doc) error { return p.show(d, &output{format: "text"}) }

// exit turns findings into the exit code.
func (o *output) exit(findings []finding.Finding) error {
	if o.failOn != "never" && finding.Worst(findings).Rank() >= finding.Severity(o.failOn).Rank() &&
		len(findings) > 0 {
		return ended{code: exitFindings}
	}
	return nil
}

func contains(list []string, s string) bool {
	for _, l := range list {
		if l == s {
			return true
		}
	}
	return false
}

// style is how the output may look: colours and the full width only on a terminal.
func (p *program) style() doc.Style {
	s := doc.Style{Width: 100, Color: p.out.color}
	if n, err := strconv.Atoi(os.Getenv("COLUMNS")); err == nil && n >= 40 {
		s.Width = n
	}
	if f, isFile := terminal(p.out.to); isFile {
		if w, _, err := term.GetSize(int(f.Fd())); err == nil {
			s.Width = w
		}
	}
	return s
}

// terminal gives the terminal that a writer writes to, where it does.
func terminal(w io.Writer) (*os.File, bool) {
	f, isFile := w.(*os.File)
	return f, isFile && term.IsTerminal(int(f.Fd()))
}

// colored reports whether what goes to a writer may have colours.
func colored(w io.Writer) bool {
	_, is := terminal(w)
	return is && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"
}

// onTerminal reports whether progress is seen by somebody.
func (p *program) onTerminal() bool {
	_, is := terminal(p.err.to)
	return is && !p.quiet
}
