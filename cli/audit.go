package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/client"
	"gatemap/core/name"
	"gatemap/service/audit"
	"gatemap/store"
)

func (a *app) audit() *cobra.Command {
	cmd := &cobra.Command{
		Use: "audit", Short: "What was done and what was refused, by whom and when", Args: cobra.NoArgs,
		Long: `Every sign-in, refusal, change, override, intake and token is in the audit. Entries are
only added; each is hashed together with the one before it, so that later changes are detected.`,
		Example: "  gatemap audit list --actor edda.marsh\n" +
			"  gatemap audit export --from 2026-11-01T00:00:00Z > november.jsonl\n  gatemap audit verify",
	}
	cmd.AddCommand(a.auditList(), a.auditExport(), a.auditVerify())
	return cmd
}

// auditFlags adds the flags that choose entries; what it returns reads them.
func auditFlags(cmd *cobra.Command) func() (client.Audited, error) {
	var asked client.Audited
	var from, to string
	flags := cmd.Flags()
	flags.StringVar(&asked.Actor, "actor", "", "only what this operator or token did")
	flags.StringVar(&asked.Object, "object", "", "only what was done to this, such as \"revision 12\"")
	flags.StringVar(&from, "from", "", "only from this time on (RFC 3339)")
	flags.StringVar(&to, "to", "", "only before this time (RFC 3339)")
	return func() (client.Audited, error) {
		for flag, x := range map[string]struct {
			text string
			to   *time.Time
		}{"from": {from, &asked.From}, "to": {to, &asked.To}} {
			if x.text == "" {
				continue
			}
			at, err := time.Parse(time.RFC3339, x.text)
			if err != nil {
				return asked, &usageError{
					fmt.Sprintf("--%s: %q is not a time (RFC 3339), such as 2026-11-23T00:00:00Z", flag, x.text),
				}
			}
			*x.to = at
		}
		return asked, nil
	}
}

// eachEntry visits the entries that are asked for, the oldest first, page by page.
func (a *app) eachEntry(ctx context.Context, asked client.Audited, visit func(*answer.Entry) error) error {
	c, err := a.service()
	if err != nil {
		return err
	}
	for cursor := ""; ; {
		page, err := c.Audit(ctx, asked, cursor)
		if err != nil {
			return err
		}
		for i := range page.Entries {
			if err := visit(&page.Entries[i]); err != nil {
				return err
			}
		}
		if cursor = page.Next; cursor == "" {
			return nil
		}
	}
}

func (a *app) auditList() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "list",
		Short:   "Entries of the audit, the oldest first",
		Example: "  gatemap audit list --actor edda.marsh -o csv",
		Args:    cobra.NoArgs,
	}
	asked := auditFlags(cmd)
	cmd.RunE = func(cmd *cobra.Command, _ []string) error {
		chosen, err := asked()
		if err != nil {
			return err
		}
		all := &answer.Audit{Entries: []answer.Entry{}}
		if err := a.eachEntry(cmd.Context(), chosen, func(e *answer.Entry) error {
			all.Entries = append(all.Entries, *e)
			return nil
		}); err != nil {
			return err
		}
		return present(a, all, a.auditText, auditTable)
	}
	return cmd
}

func (a *app) auditText(all *answer.Audit) error {
	for _, e := range all.Entries {
		mark := a.paint(red, e.Result)
		if e.Result != "refused" {
			mark = pad(e.Result, 7)
		}
		a.print("%5d  %s  %s  %s  %s  %s  %s\n", e.Number, e.At.Local().Format("2006-01-02 15:04:05"), mark,
			pad(name.Line(e.Actor), 14), pad(name.Line(e.Act), 10), pad(name.Line(e.Object), 14), name.Line(e.Detail))
	}
	return nil
}

func auditTable(all *answer.Audit) [][]string {
	rows := [][]string{{"number", "at", "actor", "act", "object", "result", "detail", "origin", "hash"}}
	for _, e := range all.Entries {
		rows = append(rows, []string{
			strconv.FormatInt(e.Number, 10), e.At.UTC().Format(time.RFC3339Nano), e.Actor, e.Act, e.Object, e.Result,
			e.Detail, e.Origin, e.Hash,
		})
	}
	return rows
}

func (a *app) auditExport() *cobra.Command {
	cmd := &cobra.Command{
		Use:     "export",
		Short:   "Entries of the audit as JSON lines, the oldest first",
		Example: "  gatemap audit export > audit.jsonl",
		Args:    cobra.NoArgs,
	}
	asked := auditFlags(cmd)
	cmd.RunE = func(cmd *cobra.Command, _ []string) error {
		chosen, err := asked()
		if err != nil {
			return err
		}
		out := json.NewEncoder(a.out)
		return a.eachEntry(cmd.Context(), chosen, func(e *answer.Entry) error { return out.Encode(e) })
	}
	return cmd
}

func (a *app) auditVerify() *cobra.Command {
	var data, seal, against string
	cmd := &cobra.Command{
		Use: "verify", Short: "Check that the audit is unchanged",
		Long: `Recomputes the hashes of all entries, which takes the key of the seal, and names the first that
does not hold. It prints the newest entry as a signed head: keep that elsewhere. With
--against HEAD a later check sees that nothing was removed from the end, and that no older
database was put in place. The exit code is 1 if something does not hold. --data checks a
data folder that no service uses.`,
		Example: "  gatemap audit verify\n  gatemap audit verify --against gatemap.head\n" +
			"  gatemap audit verify --data /var/lib/gatemap", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			v, err := a.verified(cmd.Context(), data, seal, against)
			if err != nil {
				return err
			}
			a.failed = !v.Holds
			return present(a, v, func(v *answer.Verified) error {
				if v.Holds {
					a.print(
						"The audit holds: %s. Its head, to keep elsewhere:\n%s\n",
						count(int(v.Entries), "entry", "entries"),
						v.Head,
					)
				} else {
					a.print("%s entry %d: %s. %s before it.\n", a.paint(red, "The audit is broken at"), v.Broken, v.Reason,
						count(int(v.Entries), "entry holds", "entries hold"))
				}
				return nil
			}, func(v *answer.Verified) [][]string {
				return [][]string{
					{"holds", "entries", "hash", "head", "broken", "reason"},
					{
						strconv.FormatBool(v.Holds),
						strconv.FormatInt(v.Entries, 10),
						v.Hash,
						v.Head,
						strconv.FormatInt(v.Broken, 10),
						v.Reason,
					},
				}
			})
		},
	}
	cmd.Flags().StringVar(&data, "data", "", "data folder to check, instead of asking a service")
	cmd.Flags().StringVar(&against, "against", "", "signed head that was kept, or the file that holds it")
	sealKey(cmd, &seal)
	_ = cmd.MarkFlagDirname("data")
	return cmd
}

func (a *app) verified(ctx context.Context, data, seal, against string) (*answer.Verified, error) {
	if raw, err := os.ReadFile(against); err == nil {
		against = strings.TrimSpace(string(raw))
	}
	if data == "" {
		c, err := a.service()
		if err != nil {
			return nil, err
		}
		return c.VerifyAudit(ctx, against)
	}
	st, err := openData(ctx, data, seal)
	if err != nil {
		return nil, err
	}
	defer st.Close()
	return audit.Verify(ctx, st, against)
}

// openData opens a data folder that is there.
func openData(ctx context.Context, data, seal string) (*store.Store, error) {
	if _, err := os.Stat(data); err != nil {
		return nil, fmt.Errorf("there is no data folder %s: %w", data, err)
	}
	return store.Open(ctx, data, seal)
}

// sealKey gives a command that opens a data folder the flag that names its key.
func sealKey(cmd *cobra.Command, file *string) {
	cmd.Flags().
		StringVar(file, "seal-key", "",
			"file with the key of the seal (default: the data folder's name with .seal; or GATEMAP_SEAL_KEY holds the key)")
	_ = cmd.MarkFlagFilename("seal-key")
}
