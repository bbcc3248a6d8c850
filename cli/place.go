package cli

import (
	"context"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/client"
	"gatemap/connect"
	"gatemap/core/atlas"
	"gatemap/service/content"
	"gatemap/service/query"
)

// asksNothing marks commands that ask neither a folder nor a service.
const asksNothing = "asks-nothing"

// standsAlone marks a command as one that asks nothing.
func standsAlone(cmd *cobra.Command) *cobra.Command {
	if cmd.Annotations == nil {
		cmd.Annotations = map[string]string{}
	}
	cmd.Annotations[asksNothing] = "true"
	return cmd
}

// named is a setting with where it comes from: a flag, else a variable.
type named struct{ value, by string }

func setting(flag, value, variable string) named {
	if value != "" {
		return named{value, "--" + flag}
	}
	return named{env(variable), "GATEMAP_" + variable}
}

// place is what is asked: the map folder, or the service at an address.
func (a *app) place() (folder, service named, err error) {
	folder, service = setting("map", a.mapDir, "MAP"), setting("server", a.server, "SERVER")
	if folder.value != "" && service.value != "" {
		return folder, service, &usageError{fmt.Sprintf("%s names the folder %s and %s the service %s: leave one of them out", folder.by, folder.value, service.by, service.value)}
	}
	return folder, service, nil
}

// asker is the map that the flags and the environment name. It is opened once.
func (a *app) asker(ctx context.Context) (answer.Asker, error) {
	if a.asked != nil {
		return a.asked, nil
	}
	folder, _, err := a.place()
	if err != nil {
		return nil, err
	}
	switch {
	case folder.value == "" || a.ofTrial != "":
		c, err := a.bench()
		if err != nil {
			return nil, err
		}
		a.asked = c.Of(a.ofTrial)
	default:
		h, err := a.openFolder(ctx, folder.value)
		if err != nil {
			return nil, err
		}
		a.asked = h
	}
	return a.asked, nil
}

// service is the service that the flags and the environment name.
func (a *app) service() (*client.Client, error) {
	folder, server, err := a.place()
	if err != nil {
		return nil, err
	}
	if folder.value != "" {
		return nil, &usageError{fmt.Sprintf("this is asked of a service, but %s names a folder: leave that out, and name a service with --server", folder.by)}
	}
	if server.value == "" {
		server.value = "http://" + defaultListen
	}
	token, err := a.token()
	if err != nil {
		return nil, err
	}
	c, err := client.New(server.value, token)
	if err != nil {
		return nil, &usageError{err.Error()}
	}
	return c, nil
}

// token is what lets the command line into the service: from a file, or from the
// environment.
func (a *app) token() (string, error) {
	if a.tokenFile == "" {
		return env("TOKEN"), nil
	}
	raw, err := os.ReadFile(a.tokenFile)
	if err != nil {
		return "", &usageError{fmt.Sprintf("--token-file: %v", err)}
	}
	return strings.TrimSpace(string(raw)), nil
}

// host is what a map may read on this machine: files of one folder, and secrets; ""
// is none.
func (a *app) host(files string) (host connect.Host, err error) {
	secrets := setting("secrets", a.secrets, "SECRETS")
	if secrets.value != "" {
		if host.Secrets, err = connect.OpenFolder(secrets.value); err != nil {
			return host, &usageError{fmt.Sprintf("%s: %v", secrets.by, err)}
		}
	}
	if files != "" {
		host.Files, err = connect.OpenFolder(files)
	}
	return host, err
}

func (a *app) openFolder(ctx context.Context, dir string) (*query.Head, error) {
	folder, err := content.ReadFolder(dir)
	if err != nil {
		return nil, err
	}
	host, err := a.host(dir)
	if err != nil {
		return nil, err
	}
	if err := folder.Fetch(ctx, host, dir); err != nil {
		return nil, err
	}
	compiled, err := folder.Compile(dir)
	if err != nil {
		return nil, err
	}
	return query.HeadOf(folder, compiled), nil
}

// compileFolder compiles a map folder with everything that its sources hold.
func (a *app) compileFolder(ctx context.Context, dir string) (*atlas.Atlas, error) {
	h, err := a.openFolder(ctx, dir)
	if err != nil {
		return nil, err
	}
	return h.Atlas, nil
}
