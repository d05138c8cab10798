package standing

// A Remedy is what would give a file a place, or would tell the places apart. How that is
// said and typed is for who shows it.
type Remedy struct {
	Kind RemedyKind
	// Name is the field, the convention, the ending or the folder that it is about.
	Name string
	// Needs are the fields that name a folder which waits, and In is the project whose it is.
	Needs []string
	In    *Project
}

// RemedyKind is the kind of a [Remedy].
type RemedyKind uint8

// The kinds of remedies.
const (
	NoRemedy     RemedyKind = iota
	SayField                // a name that says a field would tell
	NameProject             // the project is to be named
	NameFolder              // the folder is to be named
	NamedElse               // it belongs into that folder, and another one was named
	BuildProject            // the project that it belongs to is not here
	ByConvention            // a convention can name what comes in
	HoldEnding              // no folder of the template holds files of that ending
	OtherName               // something else has its name
	AddFolder               // the folder that holds such waits, until somebody says which
	SayWhy                  // it goes where it was named, once somebody says why
	SayMore                 // values or a convention would tell names apart
)
