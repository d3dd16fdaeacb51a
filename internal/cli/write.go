package cli

import "github.com/spf13/cobra"

func (p *program) write() *cobra.Command { return &cobra.Command{Use: "write"} }
