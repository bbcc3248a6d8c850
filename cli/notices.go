package cli

import (
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"gatemap/answer"
)

func (a *app) notices() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "notices",
		Short: "Who is told what must not wait, and what they were told",
		Long: `A document "notices: NAME" of the map says who is told of what must not wait for someone to
look: a guarantee that is broken, drift, strangers, a source or system that cannot be read, a
run that is held, a delivery that did not arrive, an audit that does not hold. It is told once
when it begins, when it changes, and when it is over: by webhook (CloudEvents), mail or syslog.
What cannot be sent is tried again for a week.`,
		Example: `  gatemap notices list
  gatemap notices test night-desk`,
	}
	cmd.AddCommand(a.noticesList(), a.noticesTest())
	return cmd
}

func (a *app) noticesList() *cobra.Command {
	var limit int
	var cursor string
	cmd := &cobra.Command{
		Use:     "list",
		Short:   "The receivers, and what they were told, the newest first",
		Example: "  gatemap notices list\n  gatemap notices list --limit 200 -o csv",
		Args:    cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.service()
			if err != nil {
				return err
			}
			all, err := c.Notices(cmd.Context(), limit, cursor)
			if err != nil {
				return err
			}
			return present(a, all, a.noticesText, noticesTable)
		},
	}
	cmd.Flags().IntVar(&limit, "limit", 100, "how many notices at most, 1 to 1000")
	cmd.Flags().StringVar(&cursor, "cursor", "", "the page to show: next of the page before")
	return cmd
}

func (a *app) noticesTest() *cobra.Command {
	return &cobra.Command{
		Use:     "test RECEIVER",
		Short:   "Send a receiver a notice that says that it is a test",
		Long:    "Sends a notice at once, and says whether it arrived. It needs the right to connect.",
		Example: "  gatemap notices test night-desk",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.service()
			if err != nil {
				return err
			}
			tested, err := c.TestNotices(cmd.Context(), args[0])
			if err != nil {
				return err
			}
			return present(a, tested, func(t *answer.NoticeTested) error {
				a.print("The test arrived at %s.\n", t.To)
				return nil
			}, func(t *answer.NoticeTested) [][]string {
				return [][]string{{"receiver", "to", "id"}, {t.Receiver, t.To, t.ID}}
			})
		},
	}
}

func (a *app) noticesText(all *answer.Notices) error {
	if len(all.Receivers) == 0 {
		a.print("The map tells nobody. A document \"notices: NAME\" says who is told (docs/notices.md).\n")
	}
	for i := range all.Receivers {
		r := &all.Receivers[i]
		a.print("%s  %s %s\n", a.paint(strong, r.Name), r.Kind, r.To)
		about := make([]string, len(r.About))
		for i, t := range r.About {
			about[i] = string(t)
		}
		a.print("  about    %s\n", strings.Join(about, ", "))
		if r.Systems != nil {
			a.print("  systems  %s\n", strings.Join(r.Systems, ", "))
		}
		if r.Digest != "" {
			a.print("  digest   %s\n", r.Digest)
		}
		a.print("  stands   %s\n", count(r.Stands, "thing that it was told of", "things that it was told of"))
		if r.Waiting > 0 {
			a.print("  waiting  %s\n", waitingWords(r))
		}
	}
	for i := range all.Notices {
		n := &all.Notices[i]
		if i == 0 {
			a.print("\n")
		}
		a.print("%s  %s  %s  %s\n", n.At.Local().Format(time.DateTime), n.Receiver, n.State, n.Words())
	}
	if all.Next != "" {
		a.print("More:  --cursor %s\n", all.Next)
	}
	return nil
}

func waitingWords(r *answer.Receiver) string {
	words := count(r.Waiting, "notice", "notices")
	if r.Due != nil {
		words += ", due " + r.Due.Local().Format(time.DateTime)
	}
	if r.Error != "" {
		words += ": " + r.Error
	}
	return words
}

func noticesTable(all *answer.Notices) [][]string {
	rows := [][]string{
		{"number", "receiver", "at", "state", "topic", "turn", "of", "text", "fix", "since", "tries", "error", "id"},
	}
	for i := range all.Notices {
		n := &all.Notices[i]
		rows = append(rows, []string{
			strconv.FormatInt(n.Number, 10), n.Receiver, n.At.Format(time.RFC3339), string(n.State),
			string(n.Topic), string(n.Turn), n.Of,
			n.Text, n.Fix, n.Since.Format(time.RFC3339), strconv.Itoa(n.Tries), n.Error, n.ID,
		})
	}
	return rows
}
