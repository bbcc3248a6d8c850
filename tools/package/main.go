// Command package builds what is shipped: the program, linked statically, its manual pages and
// completions, a configuration file that names every key, the licences of all that it contains,
// and of these a package for Debian.
package main

import (
	"bytes"
	"cmp"
	"compress/gzip"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
	"github.com/spf13/pflag"

	"gatemap/cli"
)

// nfpm makes packages; it is run from the module cache.
const nfpm = "github.com/goreleaser/nfpm/v2/cmd/nfpm@v2.48.0"

func main() {
	log.SetFlags(0)
	out := flag.String("out", "package", "folder for what is built")
	version := flag.String("version", cli.Version, "version of the package")
	flag.Parse()
	if err := build(*out, *version); err != nil {
		log.Fatal(err)
	}
}

func build(out, version string) error {
	stage, err := filepath.Abs(out)
	if err != nil {
		return err
	}
	if err := os.RemoveAll(stage); err != nil {
		return err
	}
	for _, folder := range []string{"man", "completion", "licences"} {
		if err := os.MkdirAll(filepath.Join(stage, folder), 0o755); err != nil {
			return err
		}
	}
	root := cli.Command()
	return errors.Join(
		program(stage, version),
		manual(cli.Command(), filepath.Join(stage, "man"), version),
		completions(root, filepath.Join(stage, "completion")),
		os.WriteFile(filepath.Join(stage, "gatemap.yaml"), configuration(root), 0o644),
		licences(filepath.Join(stage, "licences")),
		debian(stage, version),
	)
}

// run runs a program with variables besides those that are there.
func run(variables []string, name string, args ...string) error {
	cmd := exec.Command(name, args...)
	cmd.Env, cmd.Stderr = append(os.Environ(), variables...), os.Stderr
	if err := cmd.Run(); err != nil {
		return fmt.Errorf("%s %s: %w", name, strings.Join(args, " "), err)
	}
	return nil
}

func program(stage, version string) error {
	return run(
		[]string{"CGO_ENABLED=0"},
		"go",
		"build",
		"-trimpath",
		"-ldflags",
		"-s -w -X gatemap/cli.Version="+version,
		"-o",
		filepath.Join(stage, "gatemap"),
		"./cmd/gatemap",
	)
}

// made is when what is built was written: the same for the same sources.
func made() *time.Time {
	at := time.Now()
	raw := []byte(os.Getenv("SOURCE_DATE_EPOCH"))
	if len(raw) == 0 {
		raw, _ = exec.Command("git", "log", "-1", "--format=%ct").Output() // elsewhere than in a checkout it is now
	}
	if seconds, err := strconv.ParseInt(strings.TrimSpace(string(raw)), 10, 64); err == nil {
		at = time.Unix(seconds, 0)
	}
	at = at.UTC()
	return &at
}

// manual writes the manual pages, one a command.
func manual(root *cobra.Command, folder, version string) error {
	root.DisableAutoGenTag = true
	plain(root)
	if err := doc.GenManTree(root, &doc.GenManHeader{Section: "1", Date: made(), Source: "Gate Map " + version,
		Manual: "Gate Map"}, folder); err != nil {
		return err
	}
	pages, err := filepath.Glob(filepath.Join(folder, "*.1"))
	for _, page := range pages {
		err = errors.Join(err, zip(page))
	}
	return err
}

// plain keeps what the texts of commands have from being taken for marks of emphasis.
func plain(cmd *cobra.Command) {
	marks := strings.NewReplacer("_", "\\_", "*", "\\*", "<", "\\<", "`", "\\`")
	cmd.Long, cmd.Short = marks.Replace(cmd.Long), marks.Replace(cmd.Short)
	cmd.Flags().VisitAll(func(f *pflag.Flag) { f.Usage = marks.Replace(f.Usage) })
	for _, c := range cmd.Commands() {
		plain(c)
	}
}

func zip(file string) error {
	raw, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		return err
	}
	_, err = z.Write(raw)
	return errors.Join(err, z.Close(), os.WriteFile(file+".gz", b.Bytes(), 0o644), os.Remove(file))
}

func completions(root *cobra.Command, folder string) error {
	return errors.Join(
		root.GenBashCompletionFileV2(filepath.Join(folder, "gatemap.bash"), true),
		root.GenZshCompletionFile(filepath.Join(folder, "_gatemap")),
		root.GenFishCompletionFile(filepath.Join(folder, "gatemap.fish"), true),
	)
}

// shipped are the values that the configuration file of the package has.
var shipped = map[string]string{
	"data":     "/var/lib/gatemap",
	"seal-key": "/var/lib/gatemap-seal/gatemap.seal",
	"secrets":  "/etc/gatemap/secrets",
}

// configuration is the configuration file, with what each key means.
func configuration(root *cobra.Command) []byte {
	serve, _, err := root.Find([]string{"serve"})
	if err != nil {
		panic(err) // it is there
	}
	var b bytes.Buffer
	fmt.Fprintf(
		&b,
		"# The configuration of the service (gatemap-serve(1)). Every key is a flag, too, and a\n"+
			"# variable; a flag comes before a variable, and that before this file.\n",
	)
	for _, f := range cli.Configured(serve) {
		fmt.Fprintf(
			&b,
			"\n# %s%s.\n# Flag --%s, variable %s.\n",
			strings.ToUpper(f.Usage[:1]),
			f.Usage[1:],
			f.Name,
			cli.Variable(f.Name),
		)
		if value, set := shipped[f.Name]; set {
			fmt.Fprintf(&b, "%s: %s\n", f.Name, value)
		} else {
			fmt.Fprintf(&b, "#%s: %s\n", f.Name, cmp.Or(f.DefValue, `""`))
		}
	}
	return b.Bytes()
}

// debian makes the package.
func debian(stage, version string) error {
	to := filepath.Join(stage, fmt.Sprintf("gatemap_%s_%s.deb", version, runtime.GOARCH))
	return run([]string{"STAGE=" + stage, "VERSION=" + version, "ARCH=" + runtime.GOARCH, "CGO_ENABLED=0"},
		"go", "run", nfpm, "package", "--config", "packaging/nfpm.yaml", "--packager", "deb", "--target", to)
}

// licences copies the licences of all that the program contains: Go, its modules, and the npm
// packages of the console, which its build lists.
func licences(folder string) error {
	parts, err := contained()
	if err != nil {
		return err
	}
	var list bytes.Buffer
	for _, p := range parts {
		files, err := licenceFiles(p.dir)
		if err != nil {
			return err
		}
		to := filepath.Join(folder, strings.NewReplacer("/", "_", "@", "").Replace(p.name))
		if err := os.MkdirAll(to, 0o755); err != nil {
			return err
		}
		for _, file := range files {
			raw, err := os.ReadFile(file)
			if err != nil {
				return err
			}
			if err := os.WriteFile(filepath.Join(to, filepath.Base(file)), raw, 0o644); err != nil {
				return err
			}
		}
		if len(files) == 0 {
			if err := declared(p, filepath.Join(to, "LICENSE")); err != nil {
				return err
			}
		}
		fmt.Fprintf(&list, "%s %s\n", p.name, p.version)
	}
	return os.WriteFile(filepath.Join(folder, "LIST"), list.Bytes(), 0o644)
}

// declared writes which licence a package declares that has none in a file.
func declared(p part, file string) error {
	var about struct {
		License string
		Author  any
	}
	raw, err := os.ReadFile(filepath.Join(p.dir, "package.json"))
	if err == nil {
		err = json.Unmarshal(raw, &about)
	}
	if err != nil || about.License == "" {
		return fmt.Errorf("%s %s has no licence in %s", p.name, p.version, p.dir)
	}
	text := fmt.Sprintf("%s %s declares the licence %s.\n", p.name, p.version, about.License)
	if about.Author != nil {
		text += fmt.Sprintf("Author: %v\n", about.Author)
	}
	return os.WriteFile(file, []byte(text), 0o644)
}

// part is something that the program contains.
type part struct{ name, version, dir string }

func contained() ([]part, error) {
	parts := []part{{"go", runtime.Version(), runtime.GOROOT()}}
	out, err := exec.Command("go", "list", "-deps", "-f",
		"{{with .Module}}{{if not .Main}}{{.Path}} {{.Version}} {{.Dir}}{{end}}{{end}}", "./cmd/gatemap").
		Output()
	if err != nil {
		return nil, fmt.Errorf("go list: %w", err)
	}
	for line := range strings.Lines(string(out)) {
		if f := strings.Fields(line); len(f) == 3 {
			parts = append(parts, part{f[0], f[1], f[2]})
		}
	}
	raw, err := os.ReadFile("web/packages.txt")
	if err != nil {
		return nil, fmt.Errorf("build the console first (make web): %w", err)
	}
	for line := range strings.Lines(string(raw)) {
		if f := strings.Fields(line); len(f) == 2 {
			parts = append(parts, part{f[0], f[1], filepath.Join("web", "node_modules", f[0])})
		}
	}
	slices.SortFunc(parts, func(a, b part) int { return strings.Compare(a.name, b.name) })
	return slices.Compact(parts), nil
}

// licenceFiles are the files of a folder that say under which licence it is.
func licenceFiles(dir string) (files []string, err error) {
	entries, err := os.ReadDir(dir)
	for _, e := range entries {
		upper := strings.ToUpper(e.Name())
		if !e.IsDir() &&
			slices.ContainsFunc(
				[]string{"LICENSE", "LICENCE", "COPYING", "NOTICE", "PATENTS"},
				func(p string) bool { return strings.HasPrefix(upper, p) },
			) {
			files = append(files, filepath.Join(dir, e.Name()))
		}
	}
	return files, err
}
