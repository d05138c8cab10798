//go:build unix

package main

import (
	"fmt"
	"regexp"
	"time"

	"vestibula/core/pattern"
	"vestibula/core/template"
	"vestibula/core/value"
)

var million = 1_000_000

// sixSlots is a template with a convention of six slots.
const sixSlots = `---
fields: { client: Who?, received: { type: date } }
names:
  scan:
    pattern: "<received:yyyy-mm-dd> <client:like-this> <kind> <side> <n:000> v<version:0>"
    fields: { kind: { of: [BK, BX, MP] }, side: { of: [recto, verso, spine] }, n: { max: 999 }, version: { type: number, max: 99 } }
---
A
`

const scanExpression = `^(\d{4})-(\d{2})-(\d{2}) ([a-z0-9]+(?:-[a-z0-9]+)*) (BK|BX|MP) (recto|verso|spine) (\d{3}) v(\d{1,2})$`

func convention() *pattern.Name {
	t, err := template.Parse("scan.folders", sixSlots, nil)
	check(err)
	return t.Names[0].Pattern
}

// someNames are a thousand names, read a thousand times.
func someNames() []string {
	names := make([]string, 1000)
	for i := range names {
		names[i] = fmt.Sprintf("%04d-%02d-%02d oriel-pask-%d %s %s %03d v%d", 2000+i%100, i%12+1, i%28+1, i,
			[]string{"BK", "BX", "MP"}[i%3], []string{"recto", "verso", "spine"}[i%3], i, i%99)
	}
	return names
}

func readNames(*bench) (ours, theirs measure, err error) {
	names := someNames()
	reader := convention().Reader()
	values := make([]value.Value, len(reader.Fields()))
	expression := regexp.MustCompile(scanExpression)
	ours = seconds(func() time.Duration {
		begin := time.Now()
		for i := range million {
			if misfit := reader.Read(names[i%len(names)], values); misfit != nil {
				check(misfit)
			}
		}
		return time.Since(begin)
	})
	theirs = seconds(func() time.Duration {
		begin := time.Now()
		for i := range million {
			if expression.FindStringSubmatch(names[i%len(names)]) == nil {
				panic("the expression is not equal")
			}
		}
		return time.Since(begin)
	})
	return ours, theirs, nil
}

func writeNames(*bench) (ours, theirs measure, err error) {
	name := convention()
	choice := func(code string, at int) value.Value { return value.Value{Kind: value.Choice, Text: code, Number: at} }
	filling := pattern.Filling{Values: []value.Value{
		{Kind: value.Date, Year: 2027, Part: 3, Day: 9}, value.Of("Oriel Pask"), choice("BX", 1), choice("verso", 1), value.OfNumber(7), value.OfNumber(2),
	}}
	length := 0
	ours = seconds(func() time.Duration {
		begin := time.Now()
		for i := range million {
			filling.Values[4].Number = i % 1000
			out, err := name.Append(nil, &filling)
			check(err)
			length += len(string(out))
		}
		return time.Since(begin)
	})
	theirs = seconds(func() time.Duration {
		begin := time.Now()
		for i := range million {
			length += len(fmt.Sprintf("%04d-%02d-%02d %s %s %s %03d v%d", 2027, 3, 9, "oriel-pask", "BX", "verso", i%1000, 2))
		}
		return time.Since(begin)
	})
	return ours, theirs, nil
}
