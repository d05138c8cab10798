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

bash: put the second example into ~/.bashrc. zsh: save it as _vestibula in a folder of
$fpath. fish: save it as ~/.config/fish/completions/vestibula.fish. PowerShell: put
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
				err = root.GenBashCompletionV2(a.out, true)
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
