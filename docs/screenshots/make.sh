#!/usr/bin/env bash
# Takes the pictures of this folder anew: each command in a terminal window under Xvfb, on a fresh copy of the demo.
# Needs xvfb, xterm and imagemagick (Debian packages), and dokima on the PATH.
set -euo pipefail
here=$(cd "$(dirname "$0")" && pwd)
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
dokima demo "$work/quillmere" > /dev/null
rm -rf "$work/quillmere"/{changes,baselines} # what the walk has opened

shot() { # name, columns, rows, command...
    local name=$1 columns=$2 rows=$3
    shift 3
    echo "cd '$work/quillmere'" > "$work/show.sh"
    for command in "$@"; do
        printf '%s\n' "printf '\033[36m\$ %s\033[0m\n\n' \"$command\"" "$command" "echo" >> "$work/show.sh"
    done
    printf '%s\n' "touch '$work/done'" "sleep 30" >> "$work/show.sh"
    rm -f "$work/done"
    xvfb-run -a -s "-screen 0 1280x800x24" bash -c "
        xterm -fa 'DejaVu Sans Mono' -fs ${SIZE:-11} -geometry ${columns}x${rows}+0+0 -bg '#fbfaf6' -fg '#22302a' \
            -xrm 'XTerm*color1: #b3261e' -xrm 'XTerm*color3: #8a6100' -xrm 'XTerm*color6: #1c6b66' -xrm 'XTerm*color2: #2e6b34' \
            -xrm 'XTerm*scrollBar: false' -xrm 'XTerm*internalBorder: 14' -xrm 'XTerm*boldMode: true' -e bash '$work/show.sh' &
        for _ in \$(seq 100); do [ -e '$work/done' ] && break; sleep 0.2; done
        sleep 0.7
        import -window root '$here/$name.png'
        kill %1"
}

if [ $# -gt 0 ]; then only=$1; else only=; fi
take() { if [ -z "$only" ] || [ "$only" = "$1" ]; then shot "$@"; fi; }

SIZE=9 take init 156 54 "dokima init depot --from exports/depot_2026.csv --prices tables/items.csv"
take eval 140 42 "dokima eval 'item.weight * line.quantity' orders/SQ-2041.json 10" \
    "dokima eval --rows agreed customer=FERNHOLT item=PANE-T6 min_quantity=24 --date 2026-03-02"
SIZE=9 take prices 156 54 "dokima prices --customer FERNHOLT --date 2026-03-02 | head -50"
SIZE=9 take prove 156 54 \
    "sed -i 's/C62,2026-01-01,2026-12-31,24,44.25/C62,2026-01-01,2026-12-31,25,44.25/' tables/agreed_prices.csv" \
    "dokima prove | tail -16" "sed -i 's/,25,44.25/,24,44.25/' tables/agreed_prices.csv" "dokima prove --coverage | head -15"
take check 140 42 "dokima check orders"
take price 140 42 "dokima price orders/SQ-2041.json"
take explain 140 42 "dokima explain orders/SQ-2041.json 10"
take variance 140 42 "dokima variance orders/SQ-2041.json changed/SQ-2041.json --steps 10"
take why 140 42 "dokima check orders/SQ-2041.json --why"
take edit 140 42 \
    "dokima edit orders/SQ-2041.json --set 10.quantity=40 --add item=BENCH-K,quantity=1 --dry-run" \
    "dokima edit orders/SQ-2041.json --set 10.quantity=40 --set 30.quantity=1.25 --out changed.json" \
    "ls changed.json"
take orders 140 42 \
    "dokima store create --store sqlite:///o.db" "dokima store load orders --store sqlite:///o.db --by Ada 2> /dev/null" \
    "dokima orders --columns number,party,state,with_tax,advance --where 'advance > 0' --sort -advance --store sqlite:///o.db" \
    "dokima edit --where 'with_tax > 4000' --to cancelled --store sqlite:///o.db --by Ben"
SIZE=9 take audit 156 54 "dokima audit --today 2026-03-12 --severity warning | head -44"
SIZE=9 take compare 156 54 \
    "sed 's/,4\$/,5/' tables/volume_discounts.csv > new.csv" "dokima compare --table volume=new.csv --orders orders | head -40"
SIZE=9 take ledger 156 54 \
    "dokima change open SQ-2041 --reason 'more panes, a bench' --by Ada" \
    "dokima change edit SQ-2041-C1 --set 10.quantity=40 --set 20.quantity=3 --add item=BENCH-K,quantity=1 --by Ada | tail -11" \
    "dokima change submit SQ-2041-C1 --by Ada" "dokima change approve SQ-2041-C1 --by Ben" "dokima change ledger SQ-2041"

# What is drawn or printed, and not shown in a terminal.
picture() { if [ -z "$only" ] || [ "$only" = "$1" ]; then (cd "$work/quillmere" && "$1"); fi; }
waterfall() { dokima explain orders/SQ-2042.json 10 --chart "$here/waterfall.png" > /dev/null; }
report() { # needs chromium and poppler-utils
    cp orders/SQ-2044.json "$work/kept.json"
    number=$(dokima change open SQ-2044 --reason "a second day, and two vents" --requested-by "A. Pellow" --by Ada)
    dokima change edit "$number" --set 40.quantity=2 --set 20.quantity=18 --add item=VENT-R,quantity=2 --by Ada > /dev/null
    dokima change submit "$number" --by Ada
    dokima change show "$number" --report "$work/r.html" --report "$work/r.pdf" --locale en_GB > /dev/null
    chromium --headless --no-sandbox --disable-gpu --hide-scrollbars --window-size=1280,900 \
        --screenshot="$here/report.png" "file://$work/r.html" > /dev/null 2>&1
    pdftoppm -r 80 -png -singlefile "$work/r.pdf" "$here/report-pdf"
}
quotation() { # needs poppler-utils
    dokima paper quotation orders/SQ-2041.json --locale en_GB --out "$work/q.pdf" 2> /dev/null
    pdftoppm -r 110 -png -singlefile "$work/q.pdf" "$here/quotation"
}
spec() { # needs chromium
    dokima spec --out "$work/s.html" --version "spring 2026" --today 2026-03-02 2> /dev/null
    chromium --headless --no-sandbox --disable-gpu --hide-scrollbars --window-size=1280,800 \
        --screenshot="$here/spec.png" "file://$work/s.html" > /dev/null 2>&1
}
picture spec
picture quotation
picture waterfall
picture report
