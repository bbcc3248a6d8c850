package cli

import (
	"context"
	"fmt"
	"strconv"
	"strings"
	"time"

	"gatemap/answer"
	"gatemap/client"
	"gatemap/core/delivery"
)

// showDelivery shows all of a delivery.
func (a *app) showDelivery(ctx context.Context, c *client.Client, id int64) error {
	p, err := c.Delivery(ctx, id)
	if err != nil {
		return err
	}
	a.failed = p.Delivery.State == answer.DeliveryFailed || p.Delivery.State == answer.DeliveryCutOff
	a.refused = p.Delivery.State == answer.DeliveryHeld
	return present(a, p, a.deliveryText, deliveryTable)
}

var deliveryStyles = map[answer.DeliveryState]style{
	answer.DeliveryWaiting: yellow, answer.DeliveryHeld: yellow, answer.DeliveryArrived: green,
	answer.DeliveryUnchanged: green,
	answer.DeliveryFailed:    red, answer.DeliveryCutOff: red, answer.DeliveryDiscarded: faint,
}

func (a *app) deliveryText(p *answer.DeliveryPlan) error {
	d := &p.Delivery
	a.print("%s  delivery %d to %s, from revision %d: %s\n", a.paint(deliveryStyles[d.State], string(d.State)), d.ID,
		a.paint(strong, d.System), d.Revision, deliveryWords(d))
	if d.Held != "" && d.State == answer.DeliveryHeld {
		a.print("  held: %s\n", d.Held)
	}
	if d.Error != "" {
		a.print("  %s\n", d.Error)
	}
	for _, part := range []struct {
		is    delivery.Effect
		sign  string
		style style
		title string
	}{{delivery.Takes, "−", yellow, "Takes away"}, {delivery.Prepares, "·", faint, "Prepares"},
		{delivery.Gives, "+", green, "Gives"}} {
		title := true
		for _, s := range p.Statements {
			if s.Effect != part.is {
				continue
			}
			if title {
				a.print("\n  %s\n", a.paint(strong, part.title))
				title = false
			}
			why := s.For
			if s.On != "" {
				why = s.On + ": " + why
			}
			a.print("    %s %s\n      %s\n", a.paint(part.style, part.sign), strings.ReplaceAll(s.Text, "\n", "\n      "),
				a.paint(faint, why))
		}
	}
	a.leftText("Not delivered", p.Left)
	a.leftText("Given without its condition, as the link says", p.Through)
	if len(p.Problems) > 0 {
		a.print("\n  %s\n", a.paint(strong, "Names that cannot be delivered"))
	}
	for _, x := range p.Problems {
		a.print("    ! %s\n", x.Sentence)
	}
	if len(p.Stays) > 0 {
		a.print("\n  %s\n", a.paint(strong, "Held there beside our names, and stays"))
	}
	for _, x := range p.Stays {
		a.print("    ? %s\n", x)
	}
	if d.State.Open() {
		confirm := ""
		if d.State == answer.DeliveryHeld {
			confirm = " --confirm"
		}
		a.print("\nCommit it:  gatemap delivery commit %d%s\n", d.ID, confirm)
	}
	return nil
}

func (a *app) leftText(title string, list []answer.DeliveryLeft) {
	if len(list) > 0 {
		a.print("\n  %s\n", a.paint(strong, title))
	}
	for _, l := range list {
		a.print("    %s  %s\n", joined(l.Line, l.Whom), l.Sentence)
	}
}

// deliveryWords says in a few words what a delivery does.
func deliveryWords(d *answer.Delivery) string {
	if d.Statements == 0 {
		return "it holds what is delivered already"
	}
	parts := []string{count(d.Statements, "statement", "statements")}
	if d.Taken > 0 {
		parts = append(parts, fmt.Sprintf("takes away %d of %d", d.Taken, d.Grants))
	}
	if d.LeftOut > 0 {
		parts = append(parts, fmt.Sprintf("%d not delivered", d.LeftOut))
	}
	if d.By != "" {
		parts = append(parts, "committed by "+d.By)
	}
	if d.Read != nil {
		parts = append(parts, fmt.Sprintf("read again: %d in excess, %d short", d.Excess, d.Short))
	}
	return strings.Join(parts, ", ")
}

func deliveryTable(p *answer.DeliveryPlan) [][]string {
	rows := [][]string{{"delivery", "system", "on", "what", "text", "why"}}
	on := ""
	add := func(what, text, why string) {
		rows = append(rows, []string{strconv.FormatInt(p.Delivery.ID, 10), p.Delivery.System, on, what, text, why})
	}
	for _, s := range p.Statements {
		on = s.On
		add(string(s.Effect), s.Text, s.For)
	}
	on = ""
	for _, l := range p.Left {
		add("left out", joined(l.Line, l.Whom), l.Sentence)
	}
	for _, l := range p.Through {
		add("without condition", joined(l.Line, l.Whom), l.Sentence)
	}
	for _, x := range p.Problems {
		add("name", x.Record, x.Sentence)
	}
	for _, x := range p.Stays {
		add("stays", x, "")
	}
	return rows
}

func (a *app) deliveriesText(all *answer.Deliveries) error {
	if len(all.Deliveries) == 0 {
		a.print("No delivery yet. Begin one:  gatemap delivery run SYSTEM\n")
	}
	for i := range all.Deliveries {
		d := &all.Deliveries[i]
		words := deliveryWords(d)
		if d.Error != "" {
			words, _, _ = strings.Cut(d.Error, "\n")
		}
		a.print("%5d  %s  %s  %s  %s  %s\n", d.ID, d.Began.Local().Format("2006-01-02 15:04:05"), pad(d.System, 14),
			pad(d.How, 6),
			a.paint(deliveryStyles[d.State], pad(string(d.State), 10)), words)
	}
	return nil
}

func deliveriesTable(all *answer.Deliveries) [][]string {
	rows := [][]string{{"delivery", "system", "revision", "how", "begun_by", "by", "state", "began", "statements", "taken",
		"left_out", "excess", "short", "error"}}
	n := strconv.Itoa
	for i := range all.Deliveries {
		d := &all.Deliveries[i]
		rows = append(rows, []string{
			strconv.FormatInt(d.ID, 10), d.System, n(d.Revision), d.How, d.BegunBy, d.By, string(d.State),
			d.Began.UTC().Format(time.RFC3339),
			n(d.Statements), n(d.Taken), n(d.LeftOut), n(d.Excess), n(d.Short), d.Error,
		})
	}
	return rows
}
