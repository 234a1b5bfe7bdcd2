package main

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"pandrel/store"
)

func backupCmd() *cobra.Command {
	var data string
	c := &cobra.Command{Use: "backup FILE", Short: "Write a consistent copy of the workshop, also while it is served",
		Args: cobra.ExactArgs(1), RunE: func(c *cobra.Command, args []string) error {
			if _, err := os.Stat(filepath.Join(data, store.FileName)); err != nil {
				return fmt.Errorf("no workshop in %s: expected %s there", data, store.FileName)
			}
			if err := store.Backup(data, args[0]); err != nil {
				return err
			}
			fmt.Fprintln(c.OutOrStdout(), "written and checked:", args[0])
			return nil
		}}
	c.Flags().StringVar(&data, "data", "data", "folder of the workshop")
	return c
}

func restoreCmd() *cobra.Command {
	var data string
	c := &cobra.Command{Use: "restore FILE",
		Short: "Put a backup in the place of the workshop; what is there is kept beside it",
		Args:  cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if _, err := os.Stat(args[0]); errors.Is(err, os.ErrNotExist) {
				return fmt.Errorf("%s does not exist: expected a file that pandrel backup wrote", args[0])
			}
			if err := os.MkdirAll(data, 0o700); err != nil {
				return err
			}
			kept, err := store.Restore(data, args[0], time.Now())
			if err != nil {
				return err
			}
			fmt.Fprintln(c.OutOrStdout(), "restored:", filepath.Join(data, store.FileName))
			if kept != "" {
				fmt.Fprintln(c.OutOrStdout(), "what was there before:", kept)
			}
			return nil
		}}
	c.Flags().StringVar(&data, "data", "data", "folder of the workshop")
	return c
}
