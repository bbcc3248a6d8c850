package cli

import (
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"gatemap/store"
)

func (a *app) backup() *cobra.Command {
	var data, seal string
	cmd := &cobra.Command{
		Use: "backup FILE", Short: "Copy the database while the service runs",
		Long: `Writes a copy of the service's database, as it is at one moment, into a new file. --data
copies from a data folder that no service uses. gatemap restore restores it.`,
		Example: "  gatemap backup gatemap-2026-11-23.db\n  gatemap backup gatemap.db --data /var/lib/gatemap",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if data != "" {
				st, err := openData(cmd.Context(), data, seal)
				if err != nil {
					return err
				}
				defer st.Close()
				return st.Backup(cmd.Context(), args[0])
			}
			c, err := a.service()
			if err != nil {
				return err
			}
			f, err := os.OpenFile(args[0], os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
			if err != nil {
				return fmt.Errorf("a backup takes a new file: %w", err)
			}
			if err = c.Backup(cmd.Context(), f); err == nil {
				err = f.Sync()
			}
			if closeErr := f.Close(); err == nil {
				err = closeErr
			}
			if err != nil {
				_ = os.Remove(args[0]) // half of one is none
			}
			return err
		},
	}
	cmd.Flags().StringVar(&data, "data", "", "data folder to copy from, instead of asking a service")
	sealKey(cmd, &seal)
	_ = cmd.MarkFlagDirname("data")
	return cmd
}

func (a *app) restore() *cobra.Command {
	var data, seal string
	var instead bool
	cmd := &cobra.Command{
		Use: "restore FILE", Short: "Restore a backup into a data folder that no service uses",
		Long: `Checks a backup and puts it into a data folder. If the folder has a database already, the
command refuses; --instead moves that database aside. A backup holds no key: the seal of the
folder must be the one with which the backup was made (--seal-key).`,
		Example: "  gatemap restore gatemap-2026-11-23.db --data /var/lib/gatemap --instead", Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := store.Restore(cmd.Context(), args[0], data, seal, instead); err != nil {
				return err
			}
			a.print("Restored into %s.\n", data)
			return nil
		},
	}
	cmd.Flags().StringVar(&data, "data", "", "data folder to restore into")
	sealKey(cmd, &seal)
	cmd.Flags().BoolVar(&instead, "instead", false, "move an existing database aside")
	_ = cmd.MarkFlagRequired("data")
	_ = cmd.MarkFlagDirname("data")
	return cmd
}
