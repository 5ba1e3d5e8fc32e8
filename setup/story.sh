# A story that is told and checked: each step is announced, run, and must end as announced. Sourced after parts.sh.
STEP=0
# What is run, and how it is shown.
COMMAND=(rilvan) SHOWN=./rilvan

strong() { if [ -t 1 ] || [ "${RILVAN_COLOR:-}" = always ]; then printf '\033[1m%s\033[0m\n' "$*"; else say "$*"; fi; }
tell() { STEP=$((STEP + 1)); say; strong "$STEP. $*"; }
failed() { say; say "the story stops: $*"; exit 1; }

# run EXIT-CODE TEXT COMMAND…: runs the command, shows what it prints, and expects its exit code and a text in its output.
run() {
  local code=0 wanted=$1 text=$2 output word line=; shift 2
  for word in "$@"; do case $word in *' '*) line+=" \"$word\"";; *) line+=" ${word#"$ROOT"/}";; esac; done
  say "\$ $SHOWN$line"
  output=$("${COMMAND[@]}" "$@" 2>&1) || code=$?
  printf '%s\n' "$output"
  [ "$code" = "$wanted" ] || failed "exit code $code where $wanted was expected"
  case $output in *"$text"*) ;; *) failed "expected to read: $text";; esac
}
