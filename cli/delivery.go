package cli

import (
	"context"
	"fmt"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/client"
)

func (a *app) delivery() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "delivery",
		Short: "Bring linked systems to what the map says: preview, then commit",
		Long: `Works out with which statements a linked system comes to hold what the map says, and has
them made. A run shows the exact statements, what each is for, and what is left out since
the system cannot express it; nothing reaches the system before the run is committed. What
takes away comes first. Then the system is read again.

Accounts, groups and grants that are not under our names stay as they are, unless a run is
asked to take away strangers too. A run that would take away more than the removal limit of
the link (default 5%) is held until someone confirms it. With deliver: on-commit in its link
a system is delivered to at every revision.`,
		Example: `  gatemap delivery run frame-index
  gatemap delivery run frame-index --script frame-index.sql
  gatemap delivery commit 3
  gatemap delivery list`,
	}
	cmd.AddCommand(a.deliveryRun(), a.deliveryList(), a.deliveryShow(), a.deliveryCommit(), a.deliveryDiscard())
	return cmd
}

func (a *app) deliveryRun() *cobra.Command {
	var asked answer.DeliveryAsked
	var script string
	cmd := &cobra.Command{
		Use:   "run SYSTEM",
		Short: "Read a system and show what would be delivered to it",
		Long: `Reads a system and shows with which statements it comes to hold what the map says. The
delivery then waits to be committed. --script writes the statements as a script that an
administrator can run by hand, and that ends at the first thing that is not as it should
be. The exit code is 5 if the delivery is held.`,
		Example: `  gatemap delivery run frame-index
  gatemap delivery run frame-index --strangers
  gatemap delivery run frame-index --script frame-index.sql`,
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: a.complete(answer.KindSystem),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.service()
			if err != nil {
				return err
			}
			d, err := c.RunDelivery(cmd.Context(), args[0], asked)
			if err != nil {
				return err
			}
			if script != "" {
				if err := a.writeScript(cmd.Context(), c, d.ID, script); err != nil {
					return err
				}
			}
			return a.showDelivery(cmd.Context(), c, d.ID)
		},
	}
	cmd.Flags().
		BoolVar(&asked.Strangers, "strangers", false,
			"take away what people hold beside our names, too: foreign grants, and accounts of nobody of the map")
	cmd.Flags().
		StringVar(&script, "script", "", "write the statements to a file, as a script to run by hand; - is the output")
	return cmd
}

func (a *app) writeScript(ctx context.Context, c *client.Client, id int64, file string) error {
	s, err := c.DeliveryScript(ctx, id)
	if err != nil {
		return err
	}
	if file == "-" {
		a.print("%s", s.Script)
		return nil
	}
	return os.WriteFile(file, []byte(s.Script), 0o600)
}

func (a *app) deliveryList() *cobra.Command {
	var limit int
	var cursor string
	cmd := &cobra.Command{
		Use:   "list [SYSTEM]",
		Short: "The deliveries, the newest first",
		Example: `  gatemap delivery list
  gatemap delivery list frame-index --limit 200 -o csv`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: a.complete(answer.KindSystem),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := a.service()
			if err != nil {
				return err
			}
			all, err := c.Deliveries(cmd.Context(), strings.Join(args, ""), limit, cursor)
			if err != nil {
				return err
			}
			return present(a, all, a.deliveriesText, deliveriesTable)
		},
	}
	cmd.Flags().IntVar(&limit, "limit", 100, "how many deliveries at most, 1 to 1000")
	cmd.Flags().StringVar(&cursor, "cursor", "", "the page to show: next of the page before")
	return cmd
}

// ofDelivery is a command about one delivery.
func (a *app) ofDelivery(
	use, short, example string,
	work func(context.Context, *client.Client, int64) error,
) *cobra.Command {
	return &cobra.Command{
		Use: use, Short: short, Example: example, Args: cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil || id < 1 {
				return &usageError{fmt.Sprintf("%q is not the number of a delivery; gatemap delivery list shows them", args[0])}
			}
			c, err := a.service()
			if err != nil {
				return err
			}
			return work(cmd.Context(), c, id)
		},
	}
}

func (a *app) deliveryShow() *cobra.Command {
	script := ""
	cmd := a.ofDelivery(
		"show DELIVERY",
		"The statements of a delivery, and what is left out",
		"  gatemap delivery show 3\n  gatemap delivery show 3 -o csv\n  gatemap delivery show 3 --script -",
		func(ctx context.Context, c *client.Client, id int64) error {
			if script != "" {
				return a.writeScript(ctx, c, id, script)
			}
			return a.showDelivery(ctx, c, id)
		},
	)
	cmd.Flags().
		StringVar(&script, "script", "", "write the statements to a file, as a script to run by hand; - is the output")
	return cmd
}

func (a *app) deliveryCommit() *cobra.Command {
	var confirm bool
	cmd := a.ofDelivery(
		"commit DELIVERY",
		"Make the statements of a delivery, and read the system again",
		"  gatemap delivery commit 3\n  gatemap delivery commit 4 --confirm",
		func(ctx context.Context, c *client.Client, id int64) error {
			d, err := c.CommitDelivery(ctx, id, confirm)
			if err != nil {
				return err
			}
			a.failed = d.State != answer.DeliveryArrived && d.State != answer.DeliveryHandedOut
			return present(a, d, func(d *answer.Delivery) error {
				return a.deliveriesText(&answer.Deliveries{Deliveries: []answer.Delivery{*d}})
			}, func(d *answer.Delivery) [][]string {
				return deliveriesTable(&answer.Deliveries{Deliveries: []answer.Delivery{*d}})
			})
		},
	)
	cmd.Flags().BoolVar(&confirm, "confirm", false, "commit it even if the removal limit of the link holds it")
	return cmd
}

func (a *app) deliveryDiscard() *cobra.Command {
	return a.ofDelivery("discard DELIVERY", "Discard a delivery that waits", "  gatemap delivery discard 3",
		func(ctx context.Context, c *client.Client, id int64) error {
			if _, err := c.DiscardDelivery(ctx, id); err != nil {
				return err
			}
			return a.showDelivery(ctx, c, id)
		})
}
