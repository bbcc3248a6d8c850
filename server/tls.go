package server

import (
	"crypto/tls"
	"fmt"
	"log/slog"
	"os"
	"sync"
	"time"
)

// Certificates serves a certificate from files, and takes them in again when they
// change. While what they hold cannot be used, the one before is served.
type Certificates struct {
	cert, key string
	log       *slog.Logger

	mu      sync.Mutex
	looked  time.Time
	changed [2]time.Time
	now     *tls.Certificate
}

// lookEvery is how long a certificate is served without a look at its files.
const lookEvery = 5 * time.Second

// LoadCertificates reads a certificate with its chain, and its key (PEM).
func LoadCertificates(cert, key string, log *slog.Logger) (*Certificates, error) {
	c := &Certificates{cert: cert, key: key, log: log}
	if err := c.load(); err != nil {
		return nil, err
	}
	return c, nil
}

// Config is for a listener: TLS 1.2 and later (RFC 9325).
func (c *Certificates) Config() *tls.Config {
	return &tls.Config{MinVersion: tls.VersionTLS12, NextProtos: []string{"h2", "http/1.1"}, GetCertificate: c.get}
}

func (c *Certificates) get(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if time.Since(c.looked) >= lookEvery && c.times() != c.changed {
		if err := c.load(); err != nil {
			c.log.Error("the certificate stays as it was", "error", err)
		} else {
			c.log.Info("certificate taken in", "ends", c.now.Leaf.NotAfter)
		}
	}
	return c.now, nil
}

func (c *Certificates) times() (times [2]time.Time) {
	for i, file := range []string{c.cert, c.key} {
		if info, err := os.Stat(file); err == nil {
			times[i] = info.ModTime()
		}
	}
	return times
}

func (c *Certificates) load() error {
	times := c.times()
	c.looked = time.Now()
	pair, err := tls.LoadX509KeyPair(c.cert, c.key)
	if err != nil {
		return fmt.Errorf("the certificate in %s with the key in %s cannot be used: %w", c.cert, c.key, err)
	}
	c.now, c.changed = &pair, times
	return nil
}
