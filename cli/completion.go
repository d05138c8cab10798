package cli

import (
	"slices"
	"strings"

	"github.com/spf13/cobra"
)

// completionCommand prints what a shell needs to complete commands.
func (a *app) completionCommand(root *cobra.Command) *cobra.Command {
	shells := []string{"bash", "zsh", "fish", "powershell"}
	return &cobra.Command{
		Use:   "completion SHELL",
		Short: "Print what a shell needs to complete commands, templates and values.",
		Long: `Print what a shell needs to complete commands, templates and values. SHELL is bash, zsh,
fish or powershell.

bash: put the second example into ~/.bashrc; it needs no other package. zsh: save it as
_vestibula in a folder of $fpath. fish: save it as ~/.config/fish/completions/vestibula.fish. PowerShell: put
“vestibula completion powershell | Out-String | Invoke-Expression” into your profile.`,
		Example: `  vestibula completion fish
  source <(vestibula completion bash)`,
		ValidArgs: shells,
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) != 1 || !slices.Contains(shells, args[0]) {
				return unclear(advise("for example", "completion", "bash").String(), "for which shell? There are %s", strings.Join(shells, ", "))
			}
			return nil
		},
		RunE: func(_ *cobra.Command, args []string) (err error) {
			switch args[0] {
			case "bash":
				if _, err = a.out.Write([]byte(bareBash)); err == nil {
					err = root.GenBashCompletionV2(a.out, true)
				}
			case "zsh":
				err = root.GenZshCompletion(a.out)
			case "fish":
				err = root.GenFishCompletion(a.out, true)
			default:
				err = root.GenPowerShellCompletionWithDesc(a.out)
			}
			if err != nil {
				return unwritten(err)
			}
			return nil
		},
	}
}

// bareBash is what a bash without the package bash-completion lacks: the words of the line, in which one
// with = or : is whole (bash breaks it there), and names of files.
const bareBash = `# what completion needs of the package bash-completion, where that is not there
if ! declare -F _get_comp_words_by_ref >/dev/null 2>&1; then
_get_comp_words_by_ref() {
    local i w last line=${COMP_LINE:0:COMP_POINT} gap
    words=() cword=0
    for ((i = 0; i <= COMP_CWORD; i++)); do
        w=${COMP_WORDS[i]}
        gap=${line%%[![:space:]]*}
        line=${line#"$gap"}
        [[ $i == "$COMP_CWORD" ]] && w=$line
        last=$((${#words[@]} - 1))
        if [[ $i != 0 && -z $gap && ($w == [=:]* || ${words[last]} == *[=:]) ]]; then
            words[last]+=$w
        else
            words+=("$w")
        fi
        line=${line#"$w"}
    done
    cword=$((${#words[@]} - 1))
    cur=${words[cword]}
    prev=
    ((cword > 0)) && prev=${words[cword - 1]}
    return 0
}
fi
if ! declare -F _filedir >/dev/null 2>&1; then
_filedir() {
    local IFS=$'\n' name
    for name in $(compgen -f -- "$cur"); do
        if [[ -d $name || -z $1 || $1 != -d && ${name##*.} == @(${1%|}) ]]; then
            COMPREPLY+=("$name")
        fi
    done
    compopt -o filenames 2>/dev/null || true
}
fi

`
