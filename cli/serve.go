package cli

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"strings"
	"syscall"

	"github.com/spf13/cobra"

	"gatemap/server"
	"gatemap/service"
	"gatemap/web"
)

const defaultListen = "127.0.0.1:8470"

// token is what opens the service: from a file, or from the environment.
func (a *app) token() (string, error) {
	if a.tokenFile == "" {
		return env("TOKEN"), nil
	}
	raw, err := os.ReadFile(a.tokenFile)
	if err != nil {
		return "", fmt.Errorf("the token cannot be read: %w", err)
	}
	return strings.TrimSpace(string(raw)), nil
}

func (a *app) serve() *cobra.Command {
	var data, listen string
	cmd := &cobra.Command{
		Use:   "serve",
		Short: "Run the service, with its API and its console",
		Long: `Runs the service on the map in its data folder, until it is told to stop (Ctrl-C or
SIGTERM); it then finishes what it is answering. With --map, what the folder holds
becomes a new revision first, if it differs from the newest one; files that the map
names are taken from there. Directories that ask for it are followed: by streams,
polls and schedules.

At its first start it makes a token and prints it, this once; the service keeps
only its hash. It listens on this machine alone unless --listen says otherwise.`,
		Example: `  gatemap serve --data /var/lib/gatemap --map ./observatory
  gatemap serve --data /var/lib/gatemap --listen 192.0.2.10:8470`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			log := slog.New(slog.NewTextHandler(a.err, nil))
			listener, err := a.listen(listen)
			if err != nil {
				return err
			}
			defer listener.Close()
			svc, err := service.Open(cmd.Context(), data, log)
			if err != nil {
				return err
			}
			defer svc.Close()
			if a.mapDir != "" {
				svc.UseFiles(os.DirFS(a.mapDir))
				folder, err := service.ReadFolder(a.mapDir)
				if err != nil {
					return err
				}
				if _, err := svc.CommitFolder(cmd.Context(), folder, "gatemap serve", "read from "+a.mapDir); err != nil {
					return err
				}
			}
			token, err := svc.FirstToken(cmd.Context())
			if err != nil {
				return err
			}
			svc.Follow()
			if token != "" {
				a.print("Token, shown this once: %s\n", token)
			}
			a.print("Serving %s at http://%s\n", titleOf(svc), listener.Addr())
			return run(cmd.Context(), svc, listener, log)
		},
	}
	cmd.Flags().StringVar(&data, "data", "gatemap-data", "folder for the database; made where there is none")
	cmd.Flags().StringVar(&listen, "listen", defaultListen, "address and port to listen on; port 0 takes a free one")
	_ = cmd.MarkFlagDirname("data")
	return cmd
}

func titleOf(svc *service.Service) string {
	head := svc.Head()
	if head.Revision.Number == 0 {
		return "an empty map (bring one in with --map)"
	}
	return fmt.Sprintf("%s, revision %d,", head.Atlas.Title, head.Revision.Number)
}

func (a *app) listen(address string) (net.Listener, error) {
	l, err := net.Listen("tcp", address)
	if errors.Is(err, syscall.EADDRINUSE) {
		return nil, fmt.Errorf("%s is in use by another program; stop that one, or name another port with --listen", address)
	}
	if err != nil {
		return nil, fmt.Errorf("cannot listen on %s: %w", address, err)
	}
	return l, nil
}

func run(ctx context.Context, svc *service.Service, l net.Listener, log *slog.Logger) error {
	return server.New(svc, web.Files(), Version, log).Serve(ctx, l)
}
