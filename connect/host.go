package connect

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"gatemap/core/place"
)

// SecretPrefix begins the name of every variable that may hold a secret.
const SecretPrefix = "GATEMAP_SECRET_"

// What a file may have at most, in bytes.
const (
	maxSource      = 4 << 30
	maxCertificate = 1 << 20
	maxSecret      = 64 << 10
)

// Host is what a map may read on the host where it is used: files of sources and
// certificates from one folder, secrets from another one and from variables that begin
// with SecretPrefix (docs/security.md, "What a map may read"). The zero Host allows
// variables alone.
type Host struct {
	Files   fs.FS // nil: none
	Secrets fs.FS // nil: none
}

// OpenFolder opens a folder that a map may read from. What leads out of it, by .. or by
// a link, is not followed.
func OpenFolder(path string) (fs.FS, error) {
	root, err := os.OpenRoot(path)
	if err != nil {
		return nil, fmt.Errorf("the folder cannot be read: %w", err)
	}
	return root.FS(), nil
}

// Apart sees that a folder that a map may read from and the data folder do not lie in
// each other.
func Apart(folder, data string) error {
	a, err := resolved(folder)
	if err != nil {
		return err
	}
	b, err := resolved(data)
	if err != nil {
		return err
	}
	if within(a, b) || within(b, a) {
		return fmt.Errorf(
			"the folder %s and the data folder %s lie in each other: a map may never read the data folder; keep them apart",
			folder,
			data,
		)
	}
	return nil
}

func resolved(path string) (string, error) {
	absolute, err := filepath.Abs(path)
	if err != nil {
		return "", err
	}
	real, err := filepath.EvalSymlinks(absolute)
	if errors.Is(err, fs.ErrNotExist) {
		return absolute, nil
	}
	return real, err
}

func within(path, folder string) bool {
	rel, err := filepath.Rel(folder, path)
	return err == nil && rel != ".." && !strings.HasPrefix(rel, ".."+string(filepath.Separator))
}

// Open opens the file of a source, of at most 4 GiB.
func (h Host) Open(path string) (io.ReadCloser, error) {
	return open(h.Files, path, maxSource, "files", "--allow-files DIR")
}

// Dated is Open with the time at which the file was changed last; zero where it has none.
func (h Host) Dated(path string) (in io.ReadCloser, changed time.Time, err error) {
	if in, err = h.Open(path); err != nil {
		return nil, changed, err
	}
	info, err := fs.Stat(h.Files, path)
	if err != nil {
		_ = in.Close()
		return nil, changed, err
	}
	return in, info.ModTime(), nil
}

// Certificates reads a file of certificates, of at most 1 MiB.
func (h Host) Certificates(path string) ([]byte, error) {
	f, err := open(h.Files, path, maxCertificate, "files", "--allow-files DIR")
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(f)
}

// Secret says where a secret is: in a file or in a variable of the environment.
type Secret struct {
	Place place.Place `yaml:"-"`
	File  place.Text  `yaml:"file" doc:"A file that contains only the secret, by its path from the folder of secrets."`
	Env   string      `yaml:"env" doc:"A variable of the service's environment; its name begins with GATEMAP_SECRET_."`
}

// Secret reads a secret, of at most 64 KiB. Errors tell nothing of what was read.
func (h Host) Secret(s *Secret) (string, error) {
	switch {
	case s == nil || s.File.Value == "" && s.Env == "":
		return "", errors.New("there is no secret for the bind; say where it is with secret: {file: …} or {env: …}")
	case s.Env != "" && !strings.HasPrefix(s.Env, SecretPrefix):
		return "", fmt.Errorf(
			"a map may read variables that begin with %s, and %s does not: give the variable such a name",
			SecretPrefix,
			s.Env,
		)
	case s.Env != "":
		secret, ok := os.LookupEnv(s.Env)
		if !ok || secret == "" {
			return "", fmt.Errorf("the variable %s, which is to hold the secret, is not set", s.Env)
		}
		return secret, nil
	}
	f, err := open(h.Secrets, s.File.Value, maxSecret, "secrets", "--secrets DIR")
	if err != nil {
		return "", fmt.Errorf("the file of the secret cannot be read: %w", err)
	}
	defer f.Close()
	raw, err := io.ReadAll(f)
	if err != nil {
		return "", fmt.Errorf("the file of the secret cannot be read: %w", err)
	}
	secret := strings.TrimRight(string(raw), "\r\n")
	if secret == "" {
		return "", fmt.Errorf("the file of the secret, %s, is empty", s.File.Value)
	}
	return secret, nil
}

// open opens a regular file of a folder, if it is no longer than it may be.
func open(folder fs.FS, path string, most int64, what, flag string) (io.ReadCloser, error) {
	if folder == nil {
		return nil, fmt.Errorf("%s: a map may read no %s here; name a folder of them with %s", path, what, flag)
	}
	if !fs.ValidPath(path) {
		return nil, fmt.Errorf("%s: paths of %s are taken from one folder and stay in it", path, what)
	}
	info, err := fs.Stat(folder, path)
	if err != nil {
		return nil, err
	}
	if !info.Mode().IsRegular() {
		return nil, fmt.Errorf("%s is no regular file", path)
	}
	if info.Size() > most {
		return nil, fmt.Errorf("%s is longer than the %d bytes that such a file may have", path, most)
	}
	f, err := folder.Open(path)
	if err != nil {
		return nil, err
	}
	return &bounded{f, io.LimitReader(f, most)}, nil // it may grow while it is read
}

type bounded struct {
	file io.Closer
	io.Reader
}

func (b *bounded) Close() error { return b.file.Close() }
