_nine() {
    local begun=${COMP_WORDS[COMP_CWORD]:0:1} word words=("${COMP_WORDS[@]}")
    [[ $begun == [\"\'] ]] || begun=
    words[COMP_CWORD]=$2
    COMPREPLY=()
    while IFS= read -r word; do
        # Inside quotes a word stands as it is; elsewhere its spaces and signs are escaped.
        [[ -n $begun ]] || printf -v word %q "$word"
        COMPREPLY+=("$word")
    done < <(VARIABLE=bash _CLAP_COMPLETE_INDEX=$COMP_CWORD PROGRAM -- "${words[@]}" 2>/dev/null)
    # A folder goes on.
    if [[ ${#COMPREPLY[@]} == 1 && ${COMPREPLY[0]} == */ ]]; then
        compopt -o nospace
    fi
}
complete -o bashdefault -o nosort -F _nine BIN
