package main

import (
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/alecthomas/kong"
)

// completionCmd prints a script by which a shell completes commands and flags.
type completionCmd struct {
	Shell string `arg:"" enum:"bash,zsh,fish" help:"bash, zsh or fish."`
}

// Run prints the script for what the program can do by now.
func (c *completionCmd) Run(k *kong.Kong) error {
	var all []offered
	for _, n := range k.Model.Children {
		if n.Hidden {
			continue
		}
		o := offered{name: n.Name, help: firstSentence(n.Help)}
		for _, f := range append(n.Flags, k.Model.Flags...) {
			flag := offered{name: "--" + f.Name, help: firstSentence(f.Help)}
			switch {
			case f.Enum != "":
				flag.values = strings.Split(f.Enum, ",")
			case f.IsBool():
			default:
				flag.file = f.PlaceHolder == "FILE" || f.PlaceHolder == "OUT" || f.PlaceHolder == "DIR"
				flag.takes = true
			}
			o.flags = append(o.flags, flag)
		}
		all = append(all, o)
	}
	return map[string]func(io.Writer, []offered) error{"bash": bashScript, "zsh": zshScript,
		"fish": fishScript}[c.Shell](os.Stdout, all)
}

// offered is a command, with its flags, or a flag, with what it takes.
type offered struct {
	name, help  string
	flags       []offered
	values      []string
	takes, file bool
}

func firstSentence(s string) string {
	s, _, _ = strings.Cut(s, ". ")
	return strings.Map(func(r rune) rune {
		if strings.ContainsRune("'\"`$\\[]:", r) {
			return -1
		}
		return r
	}, strings.TrimSuffix(s, "."))
}

func names1(list []offered) string {
	var out []string
	for _, o := range list {
		out = append(out, o.name)
	}
	return strings.Join(out, " ")
}

func bashScript(w io.Writer, all []offered) error {
	var b strings.Builder
	b.WriteString("# dogear completion bash > ~/.local/share/bash-completion/completions/dogear\n" +
		"_dogear() {\n  local word=${COMP_WORDS[COMP_CWORD]} before=${COMP_WORDS[COMP_CWORD-1]}\n" +
		"  COMPREPLY=()\n  if [ \"$COMP_CWORD\" -eq 1 ]; then\n")
	fmt.Fprintf(&b, "    COMPREPLY=($(compgen -W '%s' -- \"$word\") $(compgen -f -- \"$word\"))\n"+
		"    return\n  fi\n  case \"${COMP_WORDS[1]} $before\" in\n", names1(all))
	for _, c := range all {
		for _, f := range c.flags {
			if len(f.values) > 0 {
				fmt.Fprintf(&b, "    '%s %s') COMPREPLY=($(compgen -W '%s' -- \"$word\")); return ;;\n", c.name,
					f.name, strings.Join(f.values, " "))
			}
		}
	}
	b.WriteString("  esac\n  if [[ $word == -* ]]; then\n    case \"${COMP_WORDS[1]}\" in\n")
	for _, c := range all {
		fmt.Fprintf(&b, "      %s) COMPREPLY=($(compgen -W '%s' -- \"$word\")) ;;\n", c.name,
			names1(c.flags))
	}
	b.WriteString("    esac\n  else\n    COMPREPLY=($(compgen -f -- \"$word\"))\n  fi\n}\n" +
		"complete -o filenames -F _dogear dogear\n")
	_, err := io.WriteString(w, b.String())
	return err
}

func zshScript(w io.Writer, all []offered) error {
	var b strings.Builder
	b.WriteString("#compdef dogear\n# dogear completion zsh > \"${fpath[1]}/_dogear\"\n_dogear() {\n" +
		"  local -a commands\n  commands=(\n")
	for _, c := range all {
		fmt.Fprintf(&b, "    '%s:%s'\n", c.name, c.help)
	}
	b.WriteString("  )\n  if (( CURRENT == 2 )); then\n    _describe command commands\n    _files\n" +
		"    return\n  fi\n  case $words[2] in\n")
	for _, c := range all {
		fmt.Fprintf(&b, "    %s) _arguments '*:file:_files'", c.name)
		for _, f := range c.flags {
			fmt.Fprintf(&b, " \\\n      '%s[%s]", f.name, f.help)
			switch {
			case len(f.values) > 0:
				fmt.Fprintf(&b, ":value:(%s)", strings.Join(f.values, " "))
			case f.file:
				b.WriteString(":file:_files")
			case f.takes:
				b.WriteString(":value: ")
			}
			b.WriteString("'")
		}
		b.WriteString(" ;;\n")
	}
	b.WriteString("  esac\n}\n_dogear \"$@\"\n")
	_, err := io.WriteString(w, b.String())
	return err
}

func fishScript(w io.Writer, all []offered) error {
	var b strings.Builder
	b.WriteString("# dogear completion fish > ~/.config/fish/completions/dogear.fish\n")
	for _, c := range all {
		fmt.Fprintf(&b, "complete -c dogear -n __fish_use_subcommand -a %s -d '%s'\n", c.name, c.help)
		for _, f := range c.flags {
			fmt.Fprintf(&b, "complete -c dogear -n '__fish_seen_subcommand_from %s' -l %s -d '%s'", c.name,
				strings.TrimPrefix(f.name, "--"), f.help)
			switch {
			case len(f.values) > 0:
				fmt.Fprintf(&b, " -x -a '%s'", strings.Join(f.values, " "))
			case f.file:
				b.WriteString(" -r -F")
			case f.takes:
				b.WriteString(" -x")
			}
			b.WriteString("\n")
		}
	}
	_, err := io.WriteString(w, b.String())
	return err
}
