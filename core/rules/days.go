package rules

import (
	"cmp"
	"regexp"
	"slices"
	"strconv"
	"sync"

	"vestibula/core/order"
	"vestibula/core/tree"
)

// A dayForm is how a day at the begin of a name is written, as 9 March 2027 would be in it.
type dayForm string

// rises reports whether lists put days of this form into their order.
func (d dayForm) rises() bool { return d != "9.3.2027" }

// yearFirst and dayFirst are days at the begin of a name, with their parts.
var (
	yearFirst = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`^(\d{4}|\d{2})([-._ ]?)(\d{2})([-._ ]?)(\d{2})(?:\D|$)`)
	})
	dayFirst = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`^(\d{1,2})([-._/])(\d{1,2})([-._/])(\d{4})(?:\D|$)`)
	})
)

// dayIn returns how a day at the begin of a name is written, and which it is, as a number that
// rises with it; "" where there is none.
func dayIn(name string) (form dayForm, day int) {
	of := func(year, month, day string) int {
		y, _ := strconv.Atoi(year)
		m, _ := strconv.Atoi(month)
		d, _ := strconv.Atoi(day)
		if len(year) == 2 {
			y += 2000
		}
		if y < 1900 || y > 2199 || m < 1 || m > 12 || d < 1 || d > 31 {
			return 0
		}
		return (y*100+m)*100 + d
	}
	if p := dayFirst().FindStringSubmatch(name); p != nil && p[2] == p[4] {
		if day = of(p[5], p[3], p[1]); day == 0 {
			return "", 0
		}
		return "9.3.2027", day
	}
	p := yearFirst().FindStringSubmatch(name)
	if p == nil || p[2] != p[4] || len(p[1]) == 2 && p[2] == "" {
		return "", 0
	}
	if day = of(p[1], p[3], p[5]); day == 0 {
		return "", 0
	}
	return dayForm("2027"[4-len(p[1]):] + p[2] + "03" + p[4] + "09"), day
}

// oneDayForm is what to do about days that no list puts into their order.
const oneDayForm = "give all of them one form that begins with the year, as in 2027-03-09"

// days looks at names that begin with days: no list puts days in two forms into their order, nor
// such as have the day in front. What it has looked at is no series of numbers.
func (s *sorter) days(f *Folder, kind tree.Kind, report func(Finding)) (dated map[*tree.Node]bool) {
	type one struct {
		node *tree.Node
		form dayForm
		day  int
	}
	var list []one
	for _, n := range f.Node.Children {
		if n.Kind != kind || s.markers != nil && s.markers.In(n.Name) {
			continue
		}
		if form, day := dayIn(n.Name); form != "" {
			list = append(list, one{n, form, day})
		}
	}
	if len(list) < 2 {
		return nil
	}
	for _, o := range list[1:] {
		if o.form != list[0].form {
			finding := f.finding("sorting", s.severity, o.node)
			finding.Message = say("%s and %s begin with days in two forms, which no list puts into their order", shown(list[0].node.Name), shown(o.node.Name))
			finding.Help = oneDayForm
			report(finding)
			dated = map[*tree.Node]bool{}
			break
		}
	}
	if dated == nil && list[0].form.rises() {
		return nil
	}
	wrong := dated != nil
	dated = map[*tree.Node]bool{}
	slices.SortStableFunc(list, func(a, b one) int { return cmp.Compare(a.day, b.day) })
	for i, o := range list {
		dated[o.node] = true
		if i == 0 || wrong || list[i-1].day == o.day {
			continue
		}
		before := list[i-1].node
		var where []order.Order
		for k, c := range s.comparers {
			if c.Compare(before.Name, o.node.Name) > 0 {
				where = append(where, s.orders[k])
			}
		}
		if wrong = len(where) > 0; wrong {
			finding := f.finding("sorting", s.severity, o.node)
			finding.Message = say("%s is the later day, and stands before %s in %s", shown(o.node.Name), shown(before.Name), lists(where))
			finding.Help = oneDayForm
			report(finding)
		}
	}
	return dated
}
