package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/demo"
	"upperpath.example/upperpath/internal/core/chain"
	"upperpath.example/upperpath/internal/core/fact"
	"upperpath.example/upperpath/internal/core/finding"
	"upperpath.example/upperpath/internal/core/old"
	"upperpath.example/upperpath/internal/core/pair"
	"upperpath.example/upperpath/internal/core/plan"
	"upperpath.example/upperpath/internal/core/predict"
	"upperpath.example/upperpath/internal/core/problem"
	"upperpath.example/upperpath/internal/core/proof"
	"upperpath.example/upperpath/internal/core/survey"
	"upperpath.example/upperpath/internal/core/web"
	"upperpath.example/upperpath/internal/core/wording"
	"upperpath.example/upperpath/internal/doc"
	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/live"
	"upperpath.example/upperpath/internal/report"
	"upperpath.example/upperpath/internal/stage"
	"upperpath.example/upperpath/internal/words"
)

func (p *program) demo() *cobra.Command {
	var dir string
	var force, all bool
	c := &cobra.Command{
		Use:   "demo",
		Short: "Play the whole job on a made-up estate, without any network",
		Long: `demo plays the job for the Northmoor Museums Trust, which is made up. It surveys and
audits the estate as it is today on a stand-in web, makes the plan, rehearses it on a second
one, and writes report.html. It shows the verdict of each act and the command that says
more; --all shows everything. It leaves a folder in which every other command can be tried.
Time is played: waits of hours pass at once.`,
		Example: `  upperpath demo
  upperpath demo --dir northmoor
  upperpath demo --all`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			folder, err := demoFolder(dir, force)
			if err != nil {
				return err
			}
			return (&demoPlay{program: p, all: all}).play(c.Context(), folder, force)
		},
	}
	c.Flags().StringVar(&dir, "dir", "", "the `FOLDER` to leave behind (default: a temporary one)")
	c.Flags().BoolVar(&all, "all", false, "show all that each act prints")
	c.Flags().BoolVar(&force, "force", false, "replace changed files in the folder")
	return c
}

// demoFolder puts the demo estate into a folder. A file that is there and differs is left alone,
// and is an error without force.
func demoFolder(dir string, force bool) (string, error) {
	if dir == "" {
		var err error
		if dir, err = os.MkdirTemp("", "upperpath-demo-"); err != nil {
			return "", failed(fmt.Errorf("making a folder: %w", err))
		}
	}
	source := demo.Files()
	var faults problem.List
	data := map[string][]byte{}
	err := fs.WalkDir(source, ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data[path], err = fs.ReadFile(source, path)
		old, readErr := files.Read(filepath.Join(dir, filepath.FromSlash(path)), files.MostSmall)
		if readErr == nil && !bytes.Equal(old, data[path]) && !force {
			faults.Add(
				problem.Problem{File: filepath.Join(dir, path), Fault: fact.FileNotDemos{}},
			)
		}
		return err
	})
	if err == nil {
		err = faults.Err()
	}
	for path, d := range data {
		if err == nil {
			err = files.WriteNew(filepath.Join(dir, filepath.FromSlash(path)), d, force)
		}
	}
	return dir, err
}

// demoPlay is the demo as it is played.
type demoPlay struct {
	*program
	all bool // show everything
}

// tellAct shows an act: all of it, or its verdict, its first findings and the command that shows
// more.
func (p *demoPlay) tellAct(d doc.Doc, most int, more string) error {
	if p.all {
		return p.tell(d)
	}
	return p.tell(report.InFew(d, most, more))
}

func (p *demoPlay) play(ctx context.Context, folder string, force bool) error {
	start := time.Now()
	from := estateOptions{path: filepath.Join(folder, files.EstateName)}
	e, made, err := from.read()
	if err != nil {
		return err
	}
	scene, err := stage.FromFolder(filepath.Join(folder, "stage"), now())
	if err != nil {
		return err
	}
	p.chapter(1, "The estate today: names, mail, registration")
	seen, err := p.demoSurvey(ctx, e, made, scene)
	if err != nil {
		return err
	}
	if err := p.surveyFaulty(ctx, folder, scene); err != nil {
		return err
	}
	if _, made, err = from.readSeen(ctx); err != nil {
		return err
	}
	p.chapter(2, "Every door as it is today")
	today, err := p.demoAudit(ctx, e, func() (*chain.Audit, error) {
		return p.auditStage(ctx, scene, "vantage stage", made)
	})
	if err != nil {
		return err
	}
	p.chapter(3, "The redirect map, before and after straightening")
	if err := p.demoProof(folder, e); err != nil {
		return err
	}
	p.chapter(4, "The old URLs, gathered, and what becomes of each")
	covered, err := p.demoCover(ctx, folder, e, made)
	if err != nil {
		return err
	}
	p.chapter(5, "The plan")
	if err := p.tellAct(report.PlanSummary(made), 1, "upperpath plan"); err != nil {
		return err
	}
	p.chapter(6, "The plan, rehearsed")
	after, err := p.rehearsal(ctx, e, made, &stageOptions{}) // not kept: nobody met it
	if err != nil {
		return err
	}
	if err := p.tellAct(report.Brief(report.Audit(after, "rehearsal", "", p.now())), 1,
		""); err != nil {
		return err
	}
	met, err := p.playSteps(ctx, made, len(made.Steps), 4) // the rest is for whoever rehearses
	if err != nil {
		return err
	}
	steps := report.Rehearsed(made, met, p.now())
	steps.Title, steps.About = "", ""
	if err := p.tellAct(steps, 0, "upperpath rehearse --all-steps"); err != nil {
		return err
	}
	p.chapter(7, "The runbook, worked through on the stage; waits pass at once")
	if err := p.playRunbook(ctx, e, made, scene); err != nil {
		return err
	}
	p.chapter(8, "A change, awaited on the stage; waits pass at once")
	if err := p.playAwait(ctx, made, scene, "www.lacemill-museum.example"); err != nil {
		return err
	}
	_, in, err := from.inputSeen(ctx)
	if err != nil {
		return err
	}
	proved, err := p.proved(ctx, in)
	if err != nil {
		return err
	}
	page := filepath.Join(folder, "report.html")
	if err := writeHTML(page, report.Client(report.ForClient{
		Title: reportTitle(made.Canonical), Made: p.now(), Today: today,
		After: after, Plan: made, Survey: seen, Book: report.RunbookOf(made, "", p.now()),
		Coverage: covered, Proof: proved}),
		force); err != nil {
		return err
	}
	p.chapter(9, "The report")
	fmt.Fprintf(p.out, "%s was written. All of it took %.1f s.\n", page, time.Since(start).Seconds())
	p.nextCommands(folder)
	if finding.Worst(after.Findings) == finding.Error {
		return ended{code: exitFindings}
	}
	return nil
}

// mends is what a person changes in the redirect map of the demo, after reading what the proof
// says: by the rule's old, the new target; "" drops the rule.
var mends = map[string]string{
	"slatequarry.example/exhibition/{name}":             "/exhibitions/{name}/",
	"lacemill-museum.example/exhibitions/{name}-quarry": "/exhibitions/{name}-quarry/",
	"northmoor-tickets.example/season":                  "",
}

// demoProof proves the redirect map that was handed over, which is refuted; straightens it, mends
// the loop, and proves it again.
func (p *demoPlay) demoProof(folder string, e *files.Estate) error {
	path := filepath.Join(folder, "old-rules.csv")
	prove := func(path string) (*proof.Proof, *predict.Prediction, error) {
		rules, err := files.ReadRules(path, files.RuleScope(e.Estate))
		if err != nil {
			return nil, nil, err
		}
		made := predict.New(predict.Input{Estate: e.Estate, Rules: rules, SiteRules: e.SiteRules,
			Pages: e.Pages})
		return proof.Prove(made, nil), made, nil
	}
	handed, made, err := prove(path)
	if err != nil {
		return err
	}
	canonical := made.Estate.Canonical.String()
	if err := p.tellAct(report.ProofSummary(handed, canonical), 2, ""); err != nil {
		return err
	}
	straightened, mended, text, err := mendRules(path, made)
	if err != nil {
		return err
	}
	now := filepath.Join(folder, "rules.csv")
	kept, err := files.Read(now, files.MostSmall)
	if err != nil {
		return failed(err)
	}
	if !bytes.Equal(kept, text) {
		return failed(fmt.Errorf("%s is not what comes of %s", now, path))
	}
	gap := ""
	if p.all {
		gap = "\n"
	}
	fmt.Fprintf(p.out, "%sStraightened: %d rules now lead there in one hop. Corrected by hand: "+
		"%d.\n%[1]s", gap, straightened, mended)
	after, _, err := prove(now)
	if err != nil {
		return err
	}
	return p.tellAct(report.ProofSummary(after, made.Estate.Canonical.String()), 2, "upperpath prove")
}

// demoCover gathers the old URLs of an export, and says what becomes of each.
func (p *demoPlay) demoCover(ctx context.Context, folder string, e *files.Estate,
	made *plan.Plan) (*old.Coverage, error) {
	g := old.NewGathering(old.DefaultLeaveOut())
	g.Hosts = func(h web.Host) bool { return made.Estate.Holds(h) || made.Estate.Serves(h) }
	if err := (&files.OldURLs{To: g}).Add(filepath.Join(folder, "old-pages.csv")); err != nil {
		return nil, err
	}
	path := filepath.Join(folder, oldURLsName)
	text, err := oldURLsText(g)
	if err == nil {
		err = files.WriteMade(false, files.Made{Path: path, Data: text, Form: files.Table})
	}
	if err != nil {
		return nil, err
	}
	in := plan.Input{Estate: e.Estate, Rules: e.Rules, SiteRules: e.SiteRules, Pages: e.Pages}
	all, _, err := p.oldURLs(ctx, e, in, web.Door{}, nil)
	if err != nil {
		return nil, err
	}
	covered := old.Cover(in.Web(), all, nil)
	if err := p.tellAct(report.CoverSummary(
		report.Covered{Coverage: covered, From: oldURLsName}), 0, "upperpath cover"); err != nil {
		return nil, err
	}
	return covered, p.demoPair(ctx, e, in)
}

// demoPair pairs the old pages that no rule leads.
func (p *demoPlay) demoPair(ctx context.Context, e *files.Estate, in plan.Input) error {
	path := files.Beside(e.Path, pairsName)
	sheet, err := files.ReadPairSheet(path)
	if err != nil {
		return err
	}
	result, err := p.findPairs(ctx, e, in, sheet, &pairOptions{}, nil)
	if err != nil {
		return err
	}
	if err := sheet.Write(path); err != nil {
		return err
	}
	result.File = pairsName
	if err := p.tellAct(report.PairSummary(*result), 0, "upperpath pair"); err != nil {
		return err
	}
	return p.demoPairsPlayed(ctx, e, in, sheet)
}

// demoPairsPlayed says yes to what is all but certain, makes rules of it, and plays these on a
// stage. None of that is written: it is for whoever decides.
func (p *demoPlay) demoPairsPlayed(ctx context.Context, e *files.Estate, in plan.Input,
	sheet *files.PairSheet) error {
	sheet.Accept(pair.Certain)
	wanted, _, _, with, err := p.rulesOfPairs(ctx, in, plan.Bare(in).Web, sheet)
	if err != nil {
		return err
	}
	made, arrived := plan.Make(with), 0
	err = p.onRehearsal(ctx, e, made, &stageOptions{},
		func(ctx context.Context, who *crowd, _ stage.Typed) error {
			for _, w := range wanted {
				c := chain.Follow(ctx, who.first(), chain.Ask{URL: w.Old}, chain.Asked)
				last := c.Last()
				if last.Status == http.StatusOK && last.URL == w.New ||
					w.New.IsZero() && last.Status == http.StatusGone {
					arrived++
				}
			}
			return ctx.Err()
		})
	if err != nil {
		return err
	}
	sign := doc.Good.Sign()
	if arrived < len(wanted) {
		sign = doc.Failed.Sign()
	}
	fmt.Fprintf(p.out, words.PairsPlayed, sign, arrived, wording.Count(len(wanted), "page"),
		wording.Verb(len(wanted), "arrives", "arrive"))
	return nil
}

// mendRules gives the text of a redirect map with its chains straightened and what a person
// changes.
func mendRules(path string, made *predict.Prediction) (straightened, mended int, text []byte,
	err error) {
	changes := proof.Straighten(made)
	straightened = len(changes)
	edits := edits(changes)
	for _, r := range made.Rules.Rules() {
		to, mends := mends[r.Old.String()]
		if !mends {
			continue
		}
		edits[r.Line] = files.Edit{Set: map[string]string{"new": to}, Drop: to == ""}
		mended++
	}
	data, err := files.Read(path, files.MostSmall)
	if err != nil {
		return 0, 0, nil, failed(err)
	}
	text, err = files.EditRules(path, data, edits)
	return straightened, mended, text, err
}

// demoSurvey surveys the stage, keeps what it saw, and shows what is odd about names; the doors
// come after it.
func (p *demoPlay) demoSurvey(
	ctx context.Context,
	e *files.Estate,
	made *plan.Plan,
	scene stage.Scene,
) (*survey.Survey, error) {
	v, err := p.keptSurvey(ctx, e, made, scene)
	if err != nil {
		return nil, err
	}
	return v, p.tellAct(report.SurveyOfNames(v), 3, "upperpath survey")
}

// surveyFaulty surveys the stage for the second estate of the demo, whose plan goes wrong
// everywhere.
func (p *demoPlay) surveyFaulty(ctx context.Context, folder string, scene stage.Scene) error {
	from := estateOptions{path: filepath.Join(folder, "faulty", files.EstateName)}
	e, made, err := from.read()
	if err == nil {
		_, err = p.keptSurvey(ctx, e, made, scene)
	}
	return err
}

// keptSurvey surveys the stage and keeps what it saw.
func (p *demoPlay) keptSurvey(
	ctx context.Context,
	e *files.Estate,
	made *plan.Plan,
	scene stage.Scene,
) (*survey.Survey, error) {
	var seen *survey.Survey
	err := onStage(ctx, scene, "the survey", func(ctx context.Context, s *stage.Stage) error {
		vantage := s.Vantage()
		vantage.Name, vantage.Agent, vantage.Clock = "vantage stage", agent(e.Contact), now
		w, err := live.New(vantage)
		if err != nil {
			return failed(err)
		}
		defer w.Close()
		subjects, err := subjectsOf(e, made, nil)
		if err != nil {
			return err
		}
		surveyor, err := newSurveyor(e, w, 32, &surveyOptions{})
		if err != nil {
			return err
		}
		if seen, err = p.takeSurvey(ctx, e, made, surveyor, subjects,
			scopeOf(e, made, "", &vantageOptions{})); err != nil {
			return err
		}
		if _, err := p.keepSurvey(ctx, e, seen); err != nil {
			return failed(err)
		}
		return nil
	})
	return seen, err
}

// chapter writes the heading of an act.
func (p *demoPlay) chapter(number int, title string) {
	if number > 1 {
		fmt.Fprintln(p.out)
	}
	line := fmt.Sprintf("── %d  %s ", number, title)
	_ = p.tell(doc.Doc{Title: line +
		strings.Repeat("─", max(0, min(p.style().Width, 100)-len([]rune(line))))})
	if p.all {
		fmt.Fprintln(p.out)
	}
}

// demoAudit shows an audit and keeps it.
func (p *demoPlay) demoAudit(
	ctx context.Context,
	e *files.Estate,
	run func() (*chain.Audit, error),
) (*chain.Audit, error) {
	a, err := run()
	if err != nil {
		return nil, err
	}
	if err := p.tellAct(report.Brief(report.Audit(a, "audit", "", p.now())), 3,
		"upperpath audit"); err != nil {
		return nil, err
	}
	return a, p.keep(ctx, e, a)
}

// nextCommands says how each of the commands can be tried here.
func (p *demoPlay) nextCommands(folder string) {
	if self, err := os.Executable(); err == nil && strings.Contains(self, "go-build") {
		fmt.Fprintf(p.out, "\nTry each of them:  go build -o %s . && cd %s && PATH=$PWD:$PATH\n",
			quoteArgument(filepath.Join(folder, "upperpath")), quoteArgument(folder))
	} else {
		fmt.Fprintf(p.out, "\nTry each of them:  cd %s\n", quoteArgument(folder))
	}
	fmt.Fprint(p.out, "                   upperpath stage stage    in another terminal, there too\n"+
		"A plan that fails: upperpath plan --estate faulty/upperpath.yaml\n"+
		"All of this demo:  upperpath demo --all\n")
}

func reportTitle(canonical string) string {
	return "Every door to " + canonical
}

// writeHTML writes a report page. One that is there already is replaced only if the program made it
// and nobody edited it, or with force.
func writeHTML(path string, d doc.Doc, force bool) error {
	var page bytes.Buffer
	if err := doc.Write(&page, "html", d, doc.Style{}); err != nil {
		return failed(fmt.Errorf("making the report: %w", err))
	}
	return files.WriteMade(force,
		files.Made{Path: path, Data: page.Bytes(), Opens: "<!-- ", Closes: " -->"})
}

var errNothingKept = errors.New(
	"no audit of this estate has been saved yet; run upperpath audit first")
