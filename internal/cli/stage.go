package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"upperpath.example/upperpath/internal/files"
	"upperpath.example/upperpath/internal/stage"
)

// What the stage leaves in its folder, for other commands to look from.
const (
	vantageName = "stage.yaml"
	trustName   = "ca.pem"
)

func (p *program) stage() *cobra.Command {
	var force bool
	c := &cobra.Command{
		Use:   "stage FOLDER",
		Short: "Play a stand-in web from plain files, until Ctrl-C",
		Long: `stage plays a web of its own on loopback: name servers from FOLDER/zones/, web servers
and their certificates from FOLDER/web.yaml, and a proxy that leads to them. It writes
FOLDER/stage.yaml, the vantage from which every other command sees this web as if it were
the world, and FOLDER/ca.pem, the authority to trust. An edited zone file is read again:
name servers serve it at once, while resolvers keep the previous answer until its TTL has
run out. It needs no root and no network.`,
		Example: `  upperpath demo --dir northmoor
  upperpath stage northmoor/stage
  upperpath look lacemill-museum.example   # in another terminal, in northmoor`,
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			scene, err := stage.FromFolder(args[0], now())
			if err != nil {
				return err
			}
			s, err := stage.Start(scene)
			if err != nil {
				return failed(err)
			}
			vantage := filepath.Join(args[0], vantageName)
			err = files.WriteMade(force,
				files.Made{Path: filepath.Join(args[0], trustName), Data: s.Trust(), Opens: "# "},
				files.Made{Path: vantage, Data: s.VantageFile(trustName), Opens: "# "})
			if err != nil {
				_ = s.Close()
				return err
			}
			fmt.Fprintf(
				p.out,
				"The stage plays %d endpoints and %d records. Look from it with\n\n"+
					"  upperpath look DOMAIN --from %s\n\n"+
					"Ctrl-C ends it.\n",
				len(scene.Endpoints),
				records(scene),
				quoteArgument(vantage),
			)
			p.watchZones(c.Context(), args[0], s)
			fmt.Fprintln(p.err, "The stage is closed.")
			return s.Close()
		},
	}
	c.Flags().
		BoolVar(&force, "force", false,
			"replace a "+vantageName+" or "+trustName+" that this program did not write or "+
				"that was edited")
	return c
}

func records(scene stage.Scene) int {
	n := 0
	for _, z := range scene.Zones {
		n += len(z.Records)
	}
	return n
}

// watchZones reads the zone files again whenever one was written, until the context ends. Resolvers
// that remember go on giving old answers.
func (p *program) watchZones(ctx context.Context, folder string, s *stage.Stage) {
	tick := time.NewTicker(500 * time.Millisecond)
	defer tick.Stop()
	state := zoneState(folder)
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		present := zoneState(folder)
		if present == state {
			continue
		}
		state = present
		scene, err := stage.FromFolder(folder, now())
		if err != nil {
			p.complain(err)
			continue
		}
		if err := s.SetNames(scene); err != nil {
			p.complain(err)
			continue
		}
		fmt.Fprintln(p.err, "The zones were read again.")
	}
}

// zoneState reports whether a zone file was written.
func zoneState(folder string) string {
	var state strings.Builder
	paths, _ := filepath.Glob(filepath.Join(folder, "*", "*.zone"))
	for _, path := range paths {
		if info, err := os.Stat(path); err == nil {
			fmt.Fprintln(&state, path, info.Size(), info.ModTime().UnixNano())
		}
	}
	return state.String()
}

// onStage starts a scene and hands its web to do.
func onStage(ctx context.Context, scene stage.Scene, name string,
	do func(context.Context, *stage.Stage) error) error {
	s, err := stage.Start(scene)
	if err != nil {
		return failed(fmt.Errorf("starting the stage for %s: %w", name, err))
	}
	err = do(ctx, s)
	return errors.Join(err, s.Close())
}
