package main

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"
)

// What the service must keep to under attack.
const (
	mostMemory   = 700             // MB
	longestOther = 2 * time.Second // for a question of someone else, of which 95 in 100 are faster
	longestInput = 5 * time.Second // for any one request
)

func attacks() []attack {
	all := []attack{
		{"sign-ins at once", signIns},
		{"wrong tokens, as many as go", wrongTokens},
		{"bodies that do not come", slowBodies},
		{"requests that are given up", givenUp},
		{"streams of events", streams},
		{"connections that say nothing", silent},
	}
	for _, in := range inputs() {
		all = append(all, attack{"input: " + in.name, func(t *target) (string, error) { return t.input(in) }})
	}
	return all
}

// client is someone at an address of this machine.
func client(address string) *http.Client {
	d := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(address)}, Timeout: 5 * time.Second}
	return &http.Client{
		Transport: &http.Transport{DialContext: d.DialContext, MaxIdleConnsPerHost: 64},
		Timeout:   60 * time.Second,
	}
}

var honest, attacker = client("127.0.0.2"), client("127.0.0.3")

func (t *target) call(ctx context.Context, method, path, token, body string) (int, string, error) {
	return t.by(ctx, honest, method, path, token, body)
}

func (t *target) by(ctx context.Context, c *http.Client, method, path, token, body string) (int, string, error) {
	request, err := http.NewRequestWithContext(ctx, method, "http://"+t.address+path, strings.NewReader(body))
	if err != nil {
		return 0, "", err
	}
	request.Header.Set("Content-Type", "application/json")
	if token != "" {
		request.Header.Set("Authorization", "Bearer "+token)
	}
	response, err := c.Do(request)
	if err != nil {
		return 0, "", err
	}
	defer response.Body.Close()
	raw, err := io.ReadAll(response.Body)
	return response.StatusCode, string(raw), err
}

// meanwhile asks a question again and again while an attack goes on, from another
// address, and says how others fared.
func (t *target) meanwhile(work func(ctx context.Context)) (string, error) {
	ctx, stop := context.WithTimeout(context.Background(), t.length)
	defer stop()
	var all []time.Duration
	var wrong error
	highest := 0
	asked := make(chan struct{})
	go func() {
		defer close(asked)
		for ctx.Err() == nil {
			begun := time.Now()
			status, body, err := t.call(
				context.Background(),
				"GET",
				fmt.Sprintf("/api/v1/reach?user=ilse.okonjo&at=2026-11-24T22:00:%02dZ", len(all)%60),
				t.token,
				"",
			)
			if err != nil || status != 200 {
				wrong = fmt.Errorf("someone else got %d: %s %v", status, body, err)
				return
			}
			all = append(all, time.Since(begun))
			highest = max(highest, t.memory())
			time.Sleep(20 * time.Millisecond)
		}
	}()
	work(ctx)
	stop()
	<-asked
	if wrong != nil {
		return "", wrong
	}
	if len(all) < 5 {
		return "", fmt.Errorf("someone else asked only %d times", len(all))
	}
	slices.Sort(all)
	p95 := all[len(all)*95/100]
	said := fmt.Sprintf(
		"others: %d questions, 95 of 100 within %d ms; at most %d MB",
		len(all),
		p95.Milliseconds(),
		highest,
	)
	if p95 > longestOther || highest > mostMemory {
		return "", fmt.Errorf("%s; asked are %d ms and %d MB", said, longestOther.Milliseconds(), mostMemory)
	}
	return said, nil
}

// flood does something by many at once until the time is over, and counts what came back.
func flood(ctx context.Context, hands int, do func(ctx context.Context) int) map[int]int {
	var mu sync.Mutex
	counts := map[int]int{}
	var all sync.WaitGroup
	for range hands {
		all.Go(func() {
			for ctx.Err() == nil {
				status := do(ctx)
				mu.Lock()
				counts[status]++
				mu.Unlock()
			}
		})
	}
	all.Wait()
	return counts
}

func told(counts map[int]int) string {
	var parts []string
	for status, n := range counts {
		parts = append(parts, fmt.Sprintf("%d × %d", n, status))
	}
	slices.Sort(parts)
	return strings.Join(parts, ", ")
}

func signIns(t *target) (string, error) {
	var counts map[int]int
	said, err := t.meanwhile(func(ctx context.Context) {
		counts = flood(ctx, 120, func(ctx context.Context) int {
			body := fmt.Sprintf(`{"name":"someone%d","password":"a wrong password"}`, rand.N(1_000_000))
			status, _, _ := t.by(ctx, attacker, "POST", "/api/v1/sign-in", "", body)
			return status
		})
	})
	return told(counts) + "; " + said, err
}

func wrongTokens(t *target) (string, error) {
	var counts map[int]int
	before := t.size()
	said, err := t.meanwhile(func(ctx context.Context) {
		counts = flood(ctx, 60, func(ctx context.Context) int {
			if rand.N(2) == 0 {
				status, _, _ := t.by(ctx, attacker, "GET", "/api/v1/map", "gm_wrong", "")
				return status
			}
			status, _, _ := t.by(ctx, attacker, "POST", "/api/v1/sign-in", "", `{"token":"gm_wrong"}`)
			return status
		})
	})
	if grown := t.size() - before; err == nil && grown > 20 {
		err = fmt.Errorf("the data folder grew by %d MB", grown)
	}
	return told(counts) + "; " + said, err
}

func slowBodies(t *target) (string, error) {
	var sent atomic.Int64
	said, err := t.meanwhile(func(ctx context.Context) {
		d := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP("127.0.0.3")}}
		var all sync.WaitGroup
		for range 600 {
			all.Go(func() {
				for ctx.Err() == nil {
					c, err := d.DialContext(ctx, "tcp", t.address)
					if err != nil {
						continue
					}
					_, _ = fmt.Fprintf(
						c,
						"POST /api/v1/sign-in HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: 100\r\n\r\n{",
					)
					sent.Add(1)
					_ = c.SetReadDeadline(time.Now().Add(time.Second))
					_, _ = io.Copy(io.Discard, c) // until the service gives up, or a second
					c.Close()
				}
			})
		}
		all.Wait()
	})
	return fmt.Sprintf("%d bodies; %s", sent.Load(), said), err
}

func givenUp(t *target) (string, error) {
	n := 0
	said, err := t.meanwhile(func(ctx context.Context) {
		counts := flood(ctx, 40, func(ctx context.Context) int {
			short, stop := context.WithTimeout(ctx, time.Duration(rand.N(5_000_000)))
			defer stop()
			status, _, _ := t.by(short, attacker, "GET", "/api/v1/matrix?system=archive", t.token, "")
			return status
		})
		for _, c := range counts {
			n += c
		}
	})
	if err == nil {
		if _, text, _ := t.call(context.Background(), "GET", "/metrics", t.token, ""); strings.Contains(
			text,
			`status="500"`,
		) {
			err = fmt.Errorf("requests that were given up count as failures of the service")
		}
	}
	return fmt.Sprintf("%d requests; %s", n, said), err
}

func streams(t *target) (string, error) {
	opened, refused := 0, 0
	said, err := t.meanwhile(func(ctx context.Context) {
		for range 500 {
			request, err := http.NewRequestWithContext(ctx, "GET", "http://"+t.address+"/api/v1/events", nil)
			if err != nil {
				return
			}
			request.Header.Set("Authorization", "Bearer "+t.token)
			response, err := attacker.Do(request)
			if err != nil {
				continue
			}
			if response.StatusCode == http.StatusOK {
				opened++
			} else {
				refused++
				response.Body.Close()
			}
		}
		<-ctx.Done()
	})
	if err == nil && opened > 100 {
		err = fmt.Errorf("one token has %d streams", opened)
	}
	return fmt.Sprintf("%d opened, %d refused; %s", opened, refused, said), err
}

func silent(t *target) (string, error) {
	said, err := t.meanwhile(func(ctx context.Context) {
		d := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP("127.0.0.3")}}
		for range 2000 {
			if c, err := d.DialContext(ctx, "tcp", t.address); err == nil {
				defer c.Close()
				_, _ = io.WriteString(c, "GET / HT")
			}
		}
		<-ctx.Done()
	})
	return "2000 connections; " + said, err
}
