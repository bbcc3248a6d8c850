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
	"gatemap/workspace"
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
		return folder, service, &usageError{
			fmt.Sprintf(
				"%s names the folder %s and %s the service %s: leave one of them out",
				folder.by,
				folder.value,
				service.by,
				service.value,
			),
		}
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
	asked, err := a.open(ctx, folder.value)
	if err == nil {
		a.asked = asked
	}
	return asked, err
}

func (a *app) open(ctx context.Context, folder string) (answer.Asker, error) {
	if folder != "" && a.ofTrial == "" {
		return a.openFolder(ctx, folder)
	}
	c, err := a.workplace(ctx)
	if err != nil {
		return nil, err
	}
	return c.Of(ctx, a.ofTrial)
}

// workplace is where changes are staged, and what linked systems really hold is asked: a service,
// or a map folder, whose systems are read when they are asked for.
type workplace interface {
	answer.Changer
	answer.Observer
}

// workplace is the one that the flags and the environment name.
func (a *app) workplace(ctx context.Context) (workplace, error) {
	folder, _, err := a.place()
	if err != nil {
		return nil, err
	}
	if folder.value == "" {
		return a.service()
	}
	host, err := a.host(folder.value)
	if err != nil {
		return nil, err
	}
	return workspace.OpenFolder(ctx, folder.value, host)
}

// service is the service that the flags and the environment name.
func (a *app) service() (*client.Client, error) {
	folder, server, err := a.place()
	if err != nil {
		return nil, err
	}
	if folder.value != "" {
		return nil, &usageError{
			fmt.Sprintf(
				"this is asked of a service, but %s names a folder: leave that out, and name a service with --server",
				folder.by,
			),
		}
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
	if files == "" {
		return host, nil
	}
	if host.Files, err = connect.OpenFolder(files); err != nil {
		return host, &content.LoadError{From: files, Err: err}
	}
	return host, nil
}

func (a *app) openFolder(ctx context.Context, dir string) (*query.Head, error) {
	host, err := a.host(dir)
	if err != nil {
		return nil, err
	}
	return workspace.ReadFolder(ctx, dir, host)
}

// compileFolder compiles a map folder with everything that its sources hold.
func (a *app) compileFolder(ctx context.Context, dir string) (*atlas.Atlas, error) {
	h, err := a.openFolder(ctx, dir)
	if err != nil {
		return nil, err
	}
	return h.Atlas, nil
}
