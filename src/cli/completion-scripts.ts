/** The shells that lines are completed in. */
export type Shell = 'bash' | 'zsh' | 'fish' | 'powershell'

/**
 * What a shell is told, once. Each asks `tolmach completion <shell> --line <text>` for the words at
 * the cursor: lines of a word, a tab and what it means; a line that begins with `:` says that paths
 * may stand there, too (`:files`), or that no blank follows (`:open`).
 */
export const scripts: Readonly<Record<Shell, string>> = {
  bash: `_tolmach() {
  local line word
  COMPREPLY=()
  while IFS= read -r line; do
    case "$line" in
      :files) compopt -o filenames; mapfile -t -O "\${#COMPREPLY[@]}" COMPREPLY < <(compgen -f -- "\${COMP_WORDS[COMP_CWORD]}") ;;
      :open) compopt -o nospace ;;
      *) printf -v word %q "\${line%%$'\\t'*}"; COMPREPLY+=("$word") ;;
    esac
  done < <(tolmach completion bash --line "\${COMP_LINE:0:COMP_POINT}" 2>/dev/null)
}
complete -F _tolmach tolmach
`,
  zsh: `#compdef tolmach
_tolmach() {
  local line word
  local -a found told open
  for line in "\${(@f)$(tolmach completion zsh --line "$LBUFFER" 2>/dev/null)}"; do
    case "$line" in
      '') ;;
      :files) _files ;;
      :open) open=(-S '') ;;
      *) word="\${line%%$'\\t'*}"; found+=("$word"); told+=("\${line/$'\\t'/  }") ;;
    esac
  done
  (( \${#found} )) && compadd "\${open[@]}" -l -d told -a found
}
(( $+functions[compdef] )) || { autoload -Uz compinit && compinit }
compdef _tolmach tolmach
`,
  fish: `function __tolmach_complete
  for line in (tolmach completion fish --line (commandline -cp) 2>/dev/null)
    switch $line
      case ':files'
        __fish_complete_path (commandline -ct)
      case ':open'
      case '*'
        echo $line
    end
  end
end
complete -c tolmach -f -a '(__tolmach_complete)'
`,
  powershell: `Register-ArgumentCompleter -Native -CommandName tolmach -ScriptBlock {
  param($word, $tree, $cursor)
  $line = $tree.ToString()
  $line = $line.PadRight($cursor - $tree.Extent.StartOffset).Substring(0, $cursor - $tree.Extent.StartOffset)
  tolmach completion powershell --line $line 2>$null | Where-Object { $_ -notlike ':*' } | ForEach-Object {
    $text, $meaning = $_ -split "\`t", 2
    if (-not $meaning) { $meaning = $text }
    $quoted = if ($text -match '[\\s''"$;&|(){}@\`,]') { "'" + $text.Replace("'", "''") + "'" } else { $text }
    [System.Management.Automation.CompletionResult]::new($quoted, $text, 'ParameterValue', $meaning)
  }
}
`,
}

/** The line that switches completion on, and the file that it belongs in. */
export const switchedOn: Readonly<Record<Shell, { readonly file: string; readonly line: string }>> =
  {
    bash: { file: '~/.bashrc', line: 'source <(tolmach completion bash)' },
    zsh: { file: '~/.zshrc', line: 'source <(tolmach completion zsh)' },
    fish: { file: '~/.config/fish/config.fish', line: 'tolmach completion fish | source' },
    powershell: {
      file: '$PROFILE',
      line: 'tolmach completion powershell | Out-String | Invoke-Expression',
    },
  }
