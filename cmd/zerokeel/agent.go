package main

import (
	"github.com/spf13/cobra"
)

func agentCommand() *cobra.Command {
	return &cobra.Command{Use: "agent", Hidden: true}
}
