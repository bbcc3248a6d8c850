package cli

import (
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"
)

const defaultListen = "127.0.0.1:8470"

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

func (a *app) serve() *cobra.Command   { return &cobra.Command{Use: "serve"} }
func (a *app) demo() *cobra.Command    { return &cobra.Command{Use: "demo"} }
func (a *app) openapi() *cobra.Command { return &cobra.Command{Use: "openapi"} }
