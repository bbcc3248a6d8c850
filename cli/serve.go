package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"strings"
	"syscall"

	"github.com/spf13/cobra"

	"gatemap/cli/collector"
	"gatemap/connect"
	"gatemap/server"
	"gatemap/service/audit"
	"gatemap/service/intake"
	"gatemap/web"
	"gatemap/workspace"
)

const defaultListen = "127.0.0.1:8470"

// serving is how a service is served.
type serving struct {
	data, listen string
	files        string // folder that the map may read
	take         bool   // the folder of --map, whatever was committed since
	seal         string // file with the key of the seal
	cert, key    string
	provider     server.Provider
	secretFile   string
	syslog       audit.Syslog
}

func (a *app) serve() *cobra.Command {
	var f serving
	cmd := &cobra.Command{
		Use:   "serve",
		Short: "Run the service, with its API and its console",
		Long: `Runs the service on the map in its data folder, until Ctrl-C or SIGTERM; it then finishes
the requests in progress. With --map, the contents of the folder become a new revision
first, if it was changed and the map was not since its files came from there; where both
were, the map stays, and the service says what can be done. Directories with follow or every are kept up to
date.

A map may read files of sources and certificates in one folder (--allow-files), secrets in
another (--secrets) and in variables that begin with GATEMAP_SECRET_, and nothing else of
the host.

Secrets in the database are sealed, and the audit is signed, with a key that is not in the data
folder nor in any backup: keep a copy of its file (--seal-key) apart from those.

At its first start the service creates a token and prints it, only once; it stores only
the hash. By default it listens on this machine only. Use --cert and --key to serve other
machines over TLS; both files are read again when they change. With --oidc-issuer operators
sign in at an OpenID Connect provider, which sends them back to /api/v1/sign-in/return at
--address.

Every setting is a flag, a variable (--allow-files is GATEMAP_ALLOW_FILES; --seal-key is
GATEMAP_SEAL_KEY_FILE) and a key of the configuration file (--config); a flag comes before a
variable, and that before the file.`,
		Example: `  gatemap serve --data /var/lib/gatemap --map ./observatory
  gatemap serve --data /var/lib/gatemap --listen 192.0.2.10:8470 --cert gatemap.pem --key gatemap.key
  gatemap serve --config /etc/gatemap/gatemap.yaml
  gatemap serve --oidc-issuer https://login.cindervale.example --oidc-client gatemap --oidc-secret-file secret --address https://gatemap.cindervale.example`,
		Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error { return a.runService(cmd.Context(), &f) },
	}
	f.flags(cmd)
	return cmd
}

func (f *serving) flags(cmd *cobra.Command) {
	flags := cmd.Flags()
	flags.StringVar(&f.data, "data", "gatemap-data", "folder for the database; created if needed")
	flags.StringVar(&f.files, "allow-files", "",
		"folder from which the map may read files of sources and certificates (default: that of --map)")
	flags.StringVar(&f.listen, "listen", defaultListen, "address and port to listen on; port 0 takes a free one")
	flags.StringVar(&f.cert, "cert", "", "file with the certificate and its chain (PEM), to serve HTTPS")
	flags.StringVar(&f.key, "key", "", "file with the key of the certificate (PEM)")
	flags.StringVar(&f.provider.Issuer, "oidc-issuer", "", "address of the OpenID Connect provider")
	flags.StringVar(&f.provider.Client, "oidc-client", "gatemap", "client ID of this service at the provider")
	flags.StringVar(&f.secretFile, "oidc-secret-file", "", "file with the client secret; omit for a public client")
	flags.StringVar(&f.provider.Claim, "oidc-claim", "",
		"claim of the ID token that names the operator (default: preferred_username)")
	flags.StringVar(&f.provider.Address, "address", "",
		"address of this service as browsers and programs see it (default: the one it listens on)")
	flags.StringVar(&f.syslog.Address, "syslog", "", "host:port to which the audit is sent (RFC 5424 over TLS, RFC 5425)")
	flags.StringVar(&f.syslog.CA, "syslog-ca", "",
		"file with the certificates that are trusted there (PEM; default: those of the system)")
	cmd.MarkFlagsRequiredTogether("cert", "key")
	flags.BoolVar(&f.take, "take-folder", false,
		"put the folder of --map in the place of the map, though both were changed")
	sealKey(cmd, &f.seal)
	flags.String(configFlag, "", "configuration file (YAML), with flags as keys, such as listen: 192.0.2.10:8470")
	_ = cmd.MarkFlagFilename(configFlag, "yaml", "yml")
	_ = cmd.MarkFlagDirname("data")
	_ = cmd.MarkFlagDirname("allow-files")
	for _, file := range []string{"cert", "key", "oidc-secret-file", "syslog-ca"} {
		_ = cmd.MarkFlagFilename(file)
	}
}

func (a *app) runService(ctx context.Context, f *serving) error {
	log := slog.New(slog.NewTextHandler(a.err, nil))
	listener, err := a.listen(f.listen)
	if err != nil {
		return err
	}
	defer listener.Close()
	svc, err := collector.Open(ctx, f.data, log, f.seal)
	if err != nil {
		return err
	}
	defer svc.Close()
	if a.mapDir != "" {
		var moved *intake.FolderMovedError
		if err := svc.Folders.Take(ctx, a.mapDir, "gatemap serve", f.take); errors.As(err, &moved) {
			a.print("%v\n\n", moved)
		} else if err != nil && svc.Head().Revision.Number > 0 && !f.take {
			a.print("Nothing was taken from the folder %s; revision %d stays in force:\n%v\n\n", a.mapDir,
				svc.Head().Revision.Number, err)
		} else if err != nil {
			return err
		}
	}
	if err := a.allow(svc, f); err != nil {
		return err
	}
	srv := server.New(svc, web.Files(), Version, log)
	address, err := f.outfit(srv, listener, log)
	if err != nil {
		return err
	}
	if f.syslog.Address != "" {
		if err := svc.Audit.Send(f.syslog); err != nil {
			return err
		}
	}
	token, err := svc.Tokens.First(ctx)
	if err != nil {
		return err
	}
	svc.Follow()
	if token != "" {
		a.print("Token, shown only once: %s\n", token)
	}
	a.print("Serving %s at %s\n", titleOf(svc), address)
	return srv.Serve(ctx, listener)
}

// allow says what the map may read on this host.
func (a *app) allow(svc *workspace.Service, f *serving) error {
	files := cmp.Or(f.files, a.mapDir)
	for _, folder := range []string{files, setting("secrets", a.secrets, "SECRETS").value} {
		if folder == "" {
			continue
		}
		if err := connect.Apart(folder, f.data); err != nil {
			return &usageError{err.Error()}
		}
	}
	host, err := a.host(files)
	if err == nil {
		svc.Allow(host)
	}
	return err
}

// outfit gives a server its certificate and its provider, and says at which address
// it serves.
func (f *serving) outfit(srv *server.Server, l net.Listener, log *slog.Logger) (address string, err error) {
	address = "http://" + l.Addr().String()
	defer func() { srv.Address = cmp.Or(f.provider.Address, address) }()
	if f.cert != "" {
		certificates, err := server.LoadCertificates(f.cert, f.key, log)
		if err != nil {
			return "", err
		}
		srv.TLS, address = certificates.Config(), "https://"+l.Addr().String()
	}
	if f.provider.Issuer == "" {
		return address, nil
	}
	if f.provider.Address == "" {
		f.provider.Address = address
	}
	if f.secretFile != "" {
		raw, err := os.ReadFile(f.secretFile)
		if err != nil {
			return "", fmt.Errorf("the client's secret cannot be read: %w", err)
		}
		f.provider.Secret = strings.TrimSpace(string(raw))
	}
	srv.Provider = &f.provider
	return address, nil
}

func titleOf(svc *workspace.Service) string {
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
