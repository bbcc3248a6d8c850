package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/cli/collector"
	"gatemap/demo"
	"gatemap/demo/provider"
	"gatemap/operator"
	"gatemap/server"
	"gatemap/service/content"
	"gatemap/store"
	"gatemap/web"
	"gatemap/workspace"
)

func (a *app) demo() *cobra.Command {
	var data, listen string
	var fresh bool
	cmd := &cobra.Command{
		Use:   "demo",
		Short: "Run the service with a made-up observatory in it",
		Long: `Starts the service on a free port of this machine, with the map of Cindervale
Observatory: 60 people, 45 groups, twelve systems of every gate type, and some real
mistakes to find. It keeps its data in a folder of its own and prints its name;
--fresh deletes the data and starts over.`,
		Example: `  gatemap demo
  gatemap demo --fresh --listen 127.0.0.1:8470`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if data == "" {
				cache, err := os.UserCacheDir()
				if err != nil {
					return fmt.Errorf("no place for the demo's data: %w; name one with --data", err)
				}
				data = filepath.Join(cache, "gatemap", "demo")
			}
			return a.runDemo(cmd.Context(), data, listen, fresh)
		},
	}
	cmd.Flags().StringVar(&data, "data", "", "folder for the demo's data (default: in your cache folder)")
	cmd.Flags().StringVar(&listen, "listen", "127.0.0.1:0", "address and port to listen on; port 0 takes a free one")
	cmd.Flags().BoolVar(&fresh, "fresh", false, "delete the demo's data and start over")
	_ = cmd.MarkFlagDirname("data")
	return cmd
}

// The files of the demo's data folder.
const (
	demoDatabase = "database"
	demoMap      = "map"
	demoToken    = "token"
	demoLog      = "service.log"
)

func (a *app) runDemo(ctx context.Context, data, listen string, fresh bool) error {
	if fresh {
		if err := clearDemo(data); err != nil {
			return err
		}
	}
	if err := writeDemo(data); err != nil {
		return err
	}
	logFile, err := os.OpenFile(filepath.Join(data, demoLog), os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o600)
	if err != nil {
		return err
	}
	defer logFile.Close()
	log := slog.New(slog.NewTextHandler(logFile, nil))
	listener, err := a.listen(listen)
	if err != nil {
		return err
	}
	defer listener.Close()
	svc, err := collector.Open(ctx, filepath.Join(data, demoDatabase), log, "")
	if err != nil {
		return err
	}
	defer svc.Close()
	host, err := a.host(filepath.Join(data, demoMap))
	if err != nil {
		return err
	}
	svc.Allow(host)
	if svc.Head().Revision.Number == 0 {
		folder, err := content.ReadFolder(filepath.Join(data, demoMap))
		if err != nil {
			return err
		}
		if _, err := svc.Folders.Commit(ctx, folder, "gatemap demo", "The demo map"); err != nil {
			return err
		}
	}
	token, err := demoSignIn(ctx, svc, filepath.Join(data, demoToken))
	if err != nil {
		return err
	}
	srv := server.New(svc, web.Files(), Version, log)
	provided, err := a.demoProvider(ctx, svc, listener)
	if err != nil {
		return err
	}
	srv.Provider, srv.Address = provided, "http://"+listener.Addr().String()
	svc.Follow()
	a.greet(svc, listener.Addr().String(), data, token)
	return srv.Serve(ctx, listener)
}

func (a *app) greet(svc *workspace.Service, address, data, token string) {
	h := svc.Head()
	a.print(
		"%s: %d people, %d groups, %d systems, %d findings\n\n",
		h.Atlas.Title,
		h.Atlas.Book.UserCount(),
		h.Atlas.Book.GroupCount(),
		len(h.Atlas.Systems),
		len(h.Found()),
	)
	a.print(
		"  Console   http://%s/#token=%s\n            this link signs you in; or open http://%s and give the token\n",
		address,
		token,
		address,
	)
	a.print("            or sign in there at the observatory's provider: a stand-in, which lets you choose who you are\n")
	a.print("  Token     %s\n", token)
	a.print("  Data      %s  (--fresh starts over)\n", data)
	a.print("  Map       %s\n\n", filepath.Join(data, demoMap))
	a.print("From another terminal:\n")
	a.print("  export GATEMAP_SERVER=http://%s GATEMAP_TOKEN=%s\n", address, token)
	a.print("  gatemap reach ilse.okonjo\n\n")
	a.print("Ctrl-C stops it.\n")
}

// demoOperators work with the demo's service; greta.falk is none, but manages groups.
var demoOperators = []provider.Person{
	{Name: "nadia.strand", Display: "Nadia Strand", Note: "admin"},
	{Name: "lotte.amundi", Display: "Lotte Amundi", Note: "approver"},
	{Name: "jory.pell", Display: "Jory Pell", Note: "editor"},
	{Name: "cosmo.adeyemi", Display: "Cosmo Adeyemi", Note: "viewer"},
	{Name: "greta.falk", Display: "Greta Falk", Note: "no operator, but manages groups"},
}

// demoProvider starts the stand-in provider on a free port of this machine, and lets
// the demo's operators sign in there.
func (a *app) demoProvider(ctx context.Context, svc *workspace.Service, l net.Listener) (*server.Provider, error) {
	at, err := a.listen("127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	issuer := "http://" + at.Addr().String()
	p, err := provider.New(issuer, "gatemap", demoOperators)
	if err != nil {
		return nil, err
	}
	context.AfterFunc(ctx, func() { at.Close() })
	go func() { _ = http.Serve(at, p) }() // ends when the listener does
	for _, o := range demoOperators {
		if _, err := operator.ParseRole(o.Note); err != nil {
			continue
		}
		if _, err := svc.Operators.Set(ctx, operator.Service, o.Name, 0,
			answer.OperatorChange{Role: &o.Note, Display: &o.Display, Issuer: &issuer}); err != nil {
			return nil, err
		}
	}
	return &server.Provider{Issuer: issuer, Client: "gatemap", Address: "http://" + l.Addr().String()}, nil
}

// demoSignIn gives the demo's token. A service shows its token only once; the
// demo, which protects nothing, keeps it in a file beside its data.
func demoSignIn(ctx context.Context, svc *workspace.Service, file string) (string, error) {
	token, err := svc.Tokens.First(ctx)
	if err != nil {
		return "", err
	}
	if token != "" {
		return token, os.WriteFile(file, []byte(token+"\n"), 0o600)
	}
	raw, err := os.ReadFile(file)
	if err != nil {
		return "", fmt.Errorf("the demo's token is gone (%w); start over with --fresh", err)
	}
	return string(raw[:len(raw)-1]), nil
}

// clearDemo removes what a demo leaves in its folder, and nothing else.
func clearDemo(data string) error {
	if err := store.Remove(filepath.Join(data, demoDatabase)); err != nil {
		return err
	}
	for _, name := range []string{demoMap, demoToken, demoLog, demoDatabase + ".seal"} {
		if err := os.RemoveAll(filepath.Join(data, name)); err != nil {
			return fmt.Errorf("starting over: %w", err)
		}
	}
	return nil
}

// writeDemo puts the demo's map folder in place, unless it is there already.
func writeDemo(data string) error {
	if err := os.MkdirAll(data, 0o700); err != nil {
		return fmt.Errorf("no place for the demo's data: %w", err)
	}
	target := filepath.Join(data, demoMap)
	if _, err := os.Stat(target); !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	if err := os.CopyFS(target, demo.Map()); err != nil {
		return fmt.Errorf("writing the demo's map: %w", err)
	}
	return nil
}
