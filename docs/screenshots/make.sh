#!/usr/bin/env bash
# Makes the pictures in this folder: runs each command in a real terminal window
# and saves what the window shows. Needs, on Debian:
#   apt-get install xvfb xterm imagemagick x11-utils xdotool fonts-dejavu-core chromium
set -euo pipefail
here=$(cd "$(dirname "$0")" && pwd)
desk=${TMPDIR:-/tmp}/thistlewick
mkdir "$desk"
(cd "$here/../.." && CGO_ENABLED=0 go build -o "$desk/bin/vestibula" .)
export PATH=$desk/bin:$PATH HOME=$desk XDG_STATE_HOME=$desk/state
trap 'rm -rf "$desk"' EXIT
cd "$desk"

# shot NAME COMMAND [KEYS]: a picture of what COMMAND shows after KEYS are typed, in letters
# that can be read, cut to what there is. WAIT is how long it takes.
shot() {
  local display=:$((90 + RANDOM % 800)) screen window
  Xvfb "$display" -screen 0 1280x1000x24 -nolisten tcp >/dev/null 2>&1 & screen=$!
  for _ in $(seq 100); do xdpyinfo -display "$display" >/dev/null 2>&1 && break; sleep 0.05; done
  printf '%s\n' "$2" > "$desk/commands"
  DISPLAY=$display xterm -geometry 106x42+0+0 -fa 'DejaVu Sans Mono' -fs 14 -bg '#fbfaf7' -fg '#22262b' -cr '#fbfaf7' +bc \
    -tn xterm-256color -b 8 -e bash -c "export COLORTERM=truecolor; printf '\e[?25l'; while read -r line <&3; do printf '%s\n\n' \"\$ \$line\"; eval \"\$line\"; echo; done 3< '$desk/commands'; sleep 60" & window=$!
  sleep "${WAIT:-3}"
  if [ -n "${3:-}" ]; then DISPLAY=$display xdotool key --delay 150 $3; sleep 2; fi
  import -display "$display" -window root png:- | convert - -bordercolor black -trim +repage -fuzz 2% -trim +repage -bordercolor '#fbfaf7' -border 18 -define png:exclude-chunk=date,time "$here/$1.png"
  kill "$window" "$screen" 2>/dev/null || true
  wait 2>/dev/null || true
}

# The files of the README and the cookbook, as they stand there.
block() { cat "$here/../../README.md" "$here/../cookbook.md" | awk -v name="$1" '$0 ~ "^```" { if (inside) exit; inside = ($2 == name); next } inside'; }
block wrong.folders > wrong.folders
block binding.folders > binding.folders

shot show 'cat binding.folders
vestibula show binding client="Åsgerd Ölvane"'
shot check 'vestibula check wrong'
mkdir clients
shot ask 'vestibula build binding --into .' 'O r i e l space P a s k Return 2 0 2 7 minus 0 3 minus 0 9 Return r e p a i r Return s e w i n g Return'
shot build 'vestibula build binding --into .' 'O r i e l space P a s k Return 2 0 2 7 minus 0 3 minus 0 9 Return Return'
rm binding.folders
vestibula build commission --into clients client="Oriel Pask" received=2026-11-27 --yes >/dev/null
vestibula build commission --into clients client="Jun Teague" received=2027-03-09 --yes >/dev/null
echo "my own words" > "clients/2027-03 Jun Teague BK/Read me first.md"
rmdir "clients/2027-03 Jun Teague BK/90 Settled"
echo "a list" > "clients/2027-03 Jun Teague BK/90 Settled"
shot preview 'vestibula build commission --into clients client="Jun Teague" received=2027-03-09 gilding=yes --preview'
cp -r "clients/2027-03 Jun Teague BK" year
(cd year && rm -r "01 Agreement" "90 Settled" && mv "05 Invoices" "06 Invoices" && mkdir "Old things" && mv "03 Work/02 Repair" "03 Work/02 Repiar" && touch "02 Condition survey/Photographs/2027-03-09 oriel-pask recto 001.tif" "02 Condition survey/Photographs/DSC_1001.tif")
mv year "2027-03 Jun Teague BK"
shot folder 'vestibula check "2027-03 Jun Teague BK"
vestibula check "2027-03 Jun Teague BK" --fix'
rm -r "2027-03 Jun Teague BK"
echo 'mine' > "clients/2026-11 Oriel Pask BK/03 Work/mine.txt" 2>/dev/null || true
vestibula undo 1 --yes >/dev/null || true
shot history 'vestibula history
vestibula undo 2'
cp "$here/../../examples/commissions.xlsx" .
mkdir commissions
shot table 'vestibula build commission --into commissions --table commissions.xlsx --mark' 'y Return'
mkdir Finished
while IFS='|' read -r client day kind gilding; do
  vestibula build commission --into Finished client="$client" received="$day" kind="$kind" gilding="$gilding" --yes >/dev/null
  name=$(ls -t Finished | head -n 1)
  for n in 1 2 3; do touch "Finished/$name/02 Condition survey/Photographs/$day $(tr 'A-Z ' 'a-z-' <<<"$client") recto 00$n.tif"; done
done <<'T'
Oriel Pask|2027-03-09|BK|no
Jun Teague|2027-01-20|BX|yes
Ida Sol|2026-11-02|MP|no
Wren Abbott|2026-10-05|BK|yes
Tove Lind|2026-09-15|BX|no
T
shot draft 'vestibula draft clients Finished/* client="Tove Lind"'
vestibula guide commission --out guide.html >/dev/null
chromium --headless --no-sandbox --disable-gpu --disable-background-networking --user-data-dir="$desk/browser" --window-size=1280,1000 --screenshot="$here/guide.png" "file://$desk/guide.html" >/dev/null 2>&1

invoices="clients/2027-03 Jun Teague BK/05 Invoices"
for n in 1 2 3 4 5 6; do vestibula name commission invoice --in "$invoices" day=2027-0$n-11 what=invoice --ext pdf --create >/dev/null; done
touch "$invoices/2027-3-9 JT2703 deposit-07.pdf" "$invoices/2027-03-09 JT2703 bill-08.pdf" "$invoices/2027-02-30 JT2703 reminder-09.pdf"
shot read "vestibula read commission --in '$invoices'"
cat > loose.folders <<'T'
---
names:
  note: "<day:d.m.yyyy> <client> <topic>"
---
Notes | holds: note
T
shot proof 'vestibula check loose'

cat > studio.folders <<'T'
Studio
    _Arrivals
    Agreement
    archive
    Letters
    Part <n:0>    | each: n in 1..11
    z_Old
    !urgent
T
shot sorted 'vestibula show studio --sorted all'
cat > by-kind.folders <<'T'
---
title: By kind first
fields: { clients: { type: list, default: [Oriel Pask, Jun Teague, Åsgerd Ölvane] } }
---
<kind>    | each: kind in Agreements, Invoices, Photographs
    <client>    | each: client in clients
T
cat > by-client.folders <<'T'
---
title: By client first
fields: { clients: { type: list, default: [Oriel Pask, Jun Teague, Åsgerd Ölvane] } }
---
<client>    | each: client in clients
    <kind>    | each: kind in Agreements, Invoices, Photographs
    Notes
T
shot compare 'vestibula compare by-kind by-client'

# A template that gets a stage in between, when two commissions are at work already.
cat > binding.folders <<'T'
---
fields: { client: Who is it for? }
---
<client>
    <#> Agreement
    <#> Work
    <#> Invoices
T
mkdir books
for client in "Oriel Pask" "Dag Holm"; do vestibula build binding --into books client="$client" --yes >/dev/null; done
touch "books/Oriel Pask/02 Work/page 01.tif"
sed -i 's/    <#> Work/    <#> Condition\n    <#> Work/' binding.folders
shot upgrade 'vestibula upgrade books'

# A folder that moves, and what points at it.
mkdir -p "shop/Letters/2027" "shop/Post"
touch "shop/Letters/2027/Prices.odt" "shop/Letters/Offer.odt"
cp "shop/Letters/Offer.odt" "shop/Post/"
echo "about glue" > "shop/Post/Glue.txt"
printf '# The shop\n\nPrices: [the list](Letters/2027/Prices.odt). Glue: Post/Glue.txt.\n' > "shop/Read me.md"
ln -s "../Letters/2027" "shop/Post/This year"
printf 'what,from,to\n,Letters/2027,Prices\nmerge,Post,Letters\n' > moves.csv
shot do 'vestibula do moves.csv --in shop --fix-links'

# What came in by mail, and goes to its places.
cat > orders.folders <<'T'
---
fields: { client: Who is it for? }
names:
  bill:
    pattern: "<day:yyyy-mm-dd> <client:like-this> bill <n:00>"
    fields: { day: { type: date }, n: { type: number, next: yes } }
    for: [pdf]
---
<client>
    Bills      | holds: bill
    Letters    | holds: documents
    Sound      | holds: *.wav
T
mkdir orders arrivals
for client in "Oriel Pask" "Jun Teague" "Åsgerd Ölvane"; do vestibula build orders --into orders client="$client" --yes >/dev/null; done
for n in 1 2 3 4 5; do echo "$n" > "arrivals/2027-03-0$n oriel-pask bill 0$n.pdf"; done
for n in 1 2; do echo "j$n" > "arrivals/2027-04-0$n jun-teague bill 0$n.pdf"; done
echo letter > "arrivals/Letter from Åsgerd Ölvane.docx"
echo 3 > "arrivals/again.pdf"
echo talk > arrivals/talk.wav
echo plan > arrivals/plan.psd
echo bill > "arrivals/2027-03-09 runa-marrow bill 01.pdf"
echo bil > "arrivals/2027-3-9 oriel-pask bill 06.pdf"
shot put 'vestibula put arrivals --into orders'
(cd "orders/Jun Teague/Bills" && for n in 3 4 5; do echo "$n" > "Jun Teague $n.4.2027 no $n.pdf"; done && echo x > "scan from Tuesday.pdf" && echo y > "invoice 9 (20270502).pdf")
shot rename 'vestibula rename bill "orders/Jun Teague"'

# How all people of a course stand, as a page in a browser.
cat > course.folders <<'T'
---
fields: { person: Who takes part? }
---
<person>
    Notes
    Materials
    Pieces
        Sampler   | due: 2026-09-30 | worth: 20
        Case      | due: 2099-03-01 | worth: 30
        Finished book | due: 2099-05-15 | worth: 50
    Photographs
T
mkdir course
for person in "Bo Ferry" "Dag Holm" "Ida Quill" "Jun Teague" "Kai Lund" "Mara Elm" "Ola Marrow" "Oriel Pask" "Runa Marrow" "Tove Ash"; do
  vestibula build course --into course person="$person" --yes >/dev/null
  touch "course/$person/Pieces/Sampler.pdf"
done
for person in "Jun Teague" "Kai Lund" "Tove Ash"; do touch "course/$person/Pieces/Case.pdf"; done
rm "course/Mara Elm/Pieces/Sampler.pdf" "course/Dag Holm/Pieces/Sampler.pdf"
rmdir "course/Ola Marrow/Photographs"
vestibula projects course --out course.html >/dev/null
chromium --headless --no-sandbox --disable-gpu --disable-background-networking --user-data-dir="$desk/browser" --window-size=1280,800 --screenshot="$here/projects.png" "file://$desk/course.html" >/dev/null 2>&1
