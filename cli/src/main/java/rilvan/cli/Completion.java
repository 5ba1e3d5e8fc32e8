package rilvan.cli;

import java.util.concurrent.Callable;
import picocli.AutoComplete;
import picocli.CommandLine.Command;
import picocli.CommandLine.Parameters;

@Command(name = "completion", mixinStandardHelpOptions = true, description = "Prints what makes a shell complete commands and options.",
        footer = {"", "Examples:", "  source <(rilvan completion bash)                        in ~/.bashrc",
            "  autoload -U +X bashcompinit && bashcompinit && source <(rilvan completion zsh)      in ~/.zshrc",
            "  rilvan completion fish >~/.config/fish/completions/rilvan.fish"})
final class Completion implements Callable<Integer> {

    /** Shells that can be told. */
    enum Shell {
        BASH, ZSH, FISH
    }

    @Parameters(paramLabel = "SHELL", description = "bash, zsh or fish")
    private Shell shell;

    @Override
    public Integer call() {
        Terminal.copy(shell == Shell.FISH ? FishCompletion.of(Rilvan.commandLine()) : AutoComplete.bash("rilvan", Rilvan.commandLine()));
        return 0;
    }
}
