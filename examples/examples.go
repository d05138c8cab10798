// Package examples holds the templates that come with the program: three kinds
// of folders of the made-up Thistlewick Bindery, and a table of its commissions,
// as CSV and as a workbook.
package examples

import "embed"

// Files are the templates and the files that they start from.
//
//go:embed *.folders starters
var Files embed.FS

// Demo are the templates of the demo: the first with mistakes, and what becomes of it.
//
//go:embed demo
var Demo embed.FS

// Table is the workbook of commissions.
//
//go:embed commissions.xlsx
var Table []byte
