package scim

func (t *target) put(object map[string]any, o operation) error {
	a := t.attribute
	switch {
	case t.sub == nil && t.which == nil:
		return t.putWhole(object, o)
	case !a.MultiValued: // attr.sub
		return t.putWithin(object, o)
	}
	list, _ := object[a.Name].([]any)
	at, err := t.putMatching(list, o)
	if err != nil {
		return err
	}
	if at < 0 {
		fresh, err := t.fresh(o)
		if err != nil {
			return err
		}
		list, at = append(list, fresh), len(list)
	}
	object[a.Name] = onePrimary(list, at)
	return nil
}

// putWithin puts a value of a part of an attribute that has one value.
func (t *target) putWithin(object map[string]any, o operation) error {
	a := t.attribute
	inner, _ := object[a.Name].(map[string]any)
	if inner == nil {
		inner = map[string]any{}
	}
	delete(inner, t.sub.Name)
	if err := assign(inner, a.Sub, t.sub.Name, o.Value); err != nil {
		return err
	}
	object[a.Name] = inner
	if len(inner) == 0 {
		delete(object, a.Name)
	}
	return nil
}

// putMatching puts a value at the values of a list that are as the path says, and says which
// is the last of these; -1: none.
func (t *target) putMatching(list []any, o operation) (at int, err error) {
	a := t.attribute
	at = -1
	for i, item := range list {
		if !matches(t.which, item) {
			continue
		}
		at = i
		inner, ok := item.(map[string]any)
		if t.sub == nil {
			one, err := single(a, o.Value)
			if err != nil {
				return at, err
			}
			if given, object := one.(map[string]any); object && ok && o.Op == "add" {
				merged := clone(inner).(map[string]any)
				for k, v := range given {
					merged[k] = v
				}
				one = merged
			}
			list[i] = one
			continue
		}
		delete(inner, t.sub.Name)
		if err := assign(inner, a.Sub, t.sub.Name, o.Value); err != nil {
			return at, err
		}
	}
	return at, nil
}

// fresh is a new value, as the filter of the path describes it.
func (t *target) fresh(o operation) (map[string]any, error) {
	a := t.attribute
	if t.which != nil && (t.simple == nil || o.Op == "replace" && t.sub == nil) {
		return nil, invalid("noTarget", "no value of %s is as the path says", a.Name)
	}
	fresh := map[string]any{}
	for _, pair := range t.simple {
		var value any = pair[1]
		if pair[1] == "true" || pair[1] == "false" {
			value = pair[1] == "true"
		}
		if err := assign(fresh, a.Sub, pair[0], value); err != nil {
			return nil, err
		}
	}
	if t.sub != nil {
		return fresh, assign(fresh, a.Sub, t.sub.Name, o.Value)
	}
	given, _ := o.Value.(map[string]any)
	for k, v := range given {
		if err := assign(fresh, a.Sub, k, v); err != nil {
			return nil, err
		}
	}
	return fresh, nil
}

// putWhole puts values of a whole attribute: replace in the place of those there,
// add beside them where there may be several.
func (t *target) putWhole(object map[string]any, o operation) error {
	a := t.attribute
	checked, err := check(a, o.Value)
	if err != nil {
		return err
	}
	if checked == nil {
		if o.Op == "replace" {
			if a.Required {
				return invalid("invalidValue", "%s needs a value", a.Name)
			}
			delete(object, a.Name)
		}
		return nil
	}
	old := object[a.Name]
	switch {
	case a.MultiValued && o.Op == "add":
		list, _ := old.([]any)
		there := map[string]bool{}
		for _, item := range list {
			there[identity(item, a.Name == "members")] = true
		}
		for _, item := range checked.([]any) {
			if key := identity(item, a.Name == "members"); !there[key] {
				there[key] = true
				list = append(list, item)
			}
		}
		object[a.Name] = onePrimary(list, len(list)-1)
	case a.Type == "complex" && !a.MultiValued && old != nil:
		// The sub-attributes that are given; others stay as they are.
		inner := old.(map[string]any)
		for k, v := range checked.(map[string]any) {
			inner[k] = v
		}
	default:
		object[a.Name] = checked
	}
	return nil
}

// onePrimary sees to it that a value that becomes primary is the only one
// (RFC 7644 section 3.5.2): the one that was put last, where that is.
func onePrimary(list []any, last int) []any {
	is := func(i int) bool {
		object, ok := list[i].(map[string]any)
		return ok && object["primary"] == true
	}
	if last < 0 || !is(last) {
		return list
	}
	for i := range list {
		if i != last && is(i) {
			list[i].(map[string]any)["primary"] = false
		}
	}
	return list
}
