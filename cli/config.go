package cli

import (
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"go.yaml.in/yaml/v3"

	"gatemap/core/name"
	"gatemap/core/place"
)

// configFlag names the file of a command that can be configured.
const configFlag = "config"

// unconfigured are flags that every command has and that are no settings of a service.
var unconfigured = []string{"server", "token-file", "trial", "output", "help", configFlag}

// Configured lists the flags of a command that are keys of its configuration file, too.
func Configured(cmd *cobra.Command) (flags []*pflag.Flag) {
	add := func(f *pflag.Flag) {
		if !slices.Contains(unconfigured, f.Name) {
			flags = append(flags, f)
		}
	}
	cmd.LocalNonPersistentFlags().VisitAll(add)
	cmd.InheritedFlags().VisitAll(add)
	return flags
}

// Variable is the variable of the environment that says what a flag does.
func Variable(flag string) string {
	if flag == "seal-key" {
		flag = "seal-key-file" // GATEMAP_SEAL_KEY holds the key itself
	}
	return "GATEMAP_" + strings.ToUpper(strings.ReplaceAll(flag, "-", "_"))
}

// configure gives flags that were not given the values that variables have, and those that
// have none the values of the configuration file. The error is a *usageError that names the
// variable, or the line.
func configure(cmd *cobra.Command) error {
	file := cmd.Flags().Lookup(configFlag)
	if file == nil {
		return nil
	}
	open := map[string]*pflag.Flag{}
	for _, f := range Configured(cmd) {
		if f.Changed {
			continue
		}
		value, said := os.LookupEnv(Variable(f.Name))
		if !said || value == "" {
			open[f.Name] = f
		} else if err := cmd.Flags().Set(f.Name, value); err != nil {
			return &usageError{fmt.Sprintf("%s: %v", Variable(f.Name), err)}
		}
	}
	path := file.Value.String()
	if path == "" {
		path = os.Getenv(Variable(configFlag))
	}
	if path == "" {
		return nil
	}
	raw, err := os.ReadFile(path)
	if err != nil {
		return &usageError{fmt.Sprintf("the configuration cannot be read: %v", err)}
	}
	if err := fromFile(cmd, open, path, raw); err != nil {
		return &usageError{err.Error()}
	}
	return nil
}

// fromFile gives flags the values of a file.
func fromFile(cmd *cobra.Command, open map[string]*pflag.Flag, path string, raw []byte) error {
	var document yaml.Node
	if err := yaml.Unmarshal(raw, &document); err != nil {
		return fmt.Errorf("%s: %w", path, err)
	}
	if len(document.Content) == 0 {
		return nil
	}
	var errs place.Errors
	top := document.Content[0]
	at := func(n *yaml.Node) place.Place {
		return place.Place{File: path, Line: int32(n.Line), Column: int32(n.Column)}
	}
	if top.Kind != yaml.MappingNode {
		errs.Addf(at(top), "a configuration is a list of keys with values, such as listen: %s", defaultListen)
		return errs.Err()
	}
	keys := Configured(cmd)
	seen := map[string]bool{}
	for i := 0; i+1 < len(top.Content); i += 2 {
		key, value := top.Content[i], top.Content[i+1]
		known := slices.ContainsFunc(keys, func(f *pflag.Flag) bool { return f.Name == key.Value })
		switch {
		case !known:
			errs.Addf(
				at(key),
				"there is no key %q%s",
				key.Value,
				name.DidYouMean(name.Near(key.Value, func(yield func(string) bool) {
					for _, f := range keys {
						if !yield(f.Name) {
							return
						}
					}
				})),
			)
		case seen[key.Value]:
			errs.Addf(at(key), "%s is here twice", key.Value)
		case value.Kind != yaml.ScalarNode:
			errs.Addf(at(value), "%s has one value", key.Value)
		case open[key.Value] != nil && value.Value != "":
			if err := cmd.Flags().Set(key.Value, value.Value); err != nil {
				errs.Addf(at(value), "%v", err)
			}
		}
		seen[key.Value] = true
	}
	return errs.Err()
}
