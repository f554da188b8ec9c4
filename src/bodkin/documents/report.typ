// Views of the screens as landscape pages: a headline, a table, the same marks, readable in grey.

#let report = json(bytes(sys.inputs.at("report")))
#let ink = rgb("#1f2a37")
#let quiet = rgb("#5d6470")
#let rule = rgb("#c9bda5")
#let ramp = (rgb("#e2d6bf"), rgb("#b4c0c8"), rgb("#6a8aa3"), rgb("#1f3f5f"))

#set document(
  title: report.title,
  date: datetime(year: report.day.at(0), month: report.day.at(1), day: report.day.at(2)),
)
#set text(font: "Atkinson Hyperlegible Next", size: 10pt, fill: ink, lang: "en")
#set par(leading: 0.55em)
#set page(
  paper: "us-letter",
  flipped: true,
  margin: (x: 16mm, top: 14mm, bottom: 15mm),
  footer: context {
    set text(size: 8pt, fill: quiet)
    grid(
      columns: (1fr, auto),
      [#report.caption #report.made. Groups of fewer than 10 are withheld.],
      [Page #counter(page).display() of #counter(page).final().first()],
    )
  },
)
#show heading.where(level: 1): set text(font: ("Literata", "Atkinson Hyperlegible Next"), size: 18pt, weight: 500)
#show heading.where(level: 1): set block(below: 0.5em)
#set table(stroke: none, inset: (x: 4pt, y: 3.2pt))

#let tone(order, count) = {
  if count <= 1 { return ramp.at(3) }
  let place = (order - 1) / (count - 1) * 3
  let low = calc.floor(place)
  if low >= 3 { return ramp.at(3) }
  let share = (place - low) * 100%
  color.mix((ramp.at(low), 100% - share), (ramp.at(low + 1), share))
}

// Shares by band as one bar, the lowest at the left.
#let bar(shares, bands) = context if shares.len() > 0 {
  let (long, high) = (12.5 * text.size, text.size)
  let said = bands.zip(shares).map(((band, share)) => band + " " + str(calc.round(share * 100)) + " %").join(", ")
  figure(alt: said, box(width: long, height: high, {
    let at = 0.0
    for (order, share) in shares.enumerate() {
      place(dx: at * long, rect(
        width: share * long,
        height: high,
        fill: tone(order + 1, shares.len()),
        stroke: 0.4pt + ink,
      ))
      at += share
    }
  }))
}

// A share on a line from 0 to 100 %, beside the whole where there is one: hollow the raw figure, solid the estimate.
#let mark(b, whole) = context if b != none {
  let (long, high, dot) = (14 * text.size, text.size, text.size / 4)
  let x(value) = calc.min(1, calc.max(0, value)) * long
  let alt = "estimate " + str(calc.round(b.estimate * 100)) + " %, raw " + str(calc.round(b.raw * 100)) + " %"
  let upright(value, paint) = place(line(start: (x(value), 0pt), end: (x(value), high), stroke: 0.5pt + paint))
  figure(alt: alt, box(width: long + 2pt, height: high, {
    place(line(start: (0pt, high / 2), end: (long, high / 2), stroke: 0.5pt + rule))
    for end in (0, 0.5, 1) { upright(end, rule) }
    if whole != none { upright(whole, quiet) }
    if b.low != none and b.high != none {
      place(line(start: (x(b.low), high / 2), end: (x(b.high), high / 2), stroke: 0.9pt + ink))
    }
    if b.raw != b.estimate {
      place(dx: x(b.raw) - dot, dy: high / 2 - dot, circle(radius: dot, fill: white, stroke: 0.8pt + ink))
    }
    place(dx: x(b.estimate) - dot, dy: high / 2 - dot, circle(radius: dot, fill: ink))
  }))
}

#for (at, page) in report.pages.enumerate() {
  if at > 0 { pagebreak() }
  text(size: 9pt, fill: quiet, page.title)
  heading(level: 1, page.headline)
  if page.lead != "" [#par(page.lead)]
  if page.bands.len() > 0 {
    let keys = page.bands.enumerate().map(((order, band)) => box({
      box(width: 8pt, height: 8pt, baseline: 1pt, fill: tone(order + 1, page.bands.len()), stroke: 0.4pt + ink)
      [ #band]
    }))
    par(text(size: 8.5pt, keys.join(h(10pt))))
  }
  let head = ("", ..page.bars, ..(if page.marked != "" { (page.marked,) } else { () }), ..page.header)
  // Few rows are read from the back of a room.
  let lines = page.rows.len()
  set text(size: if lines <= 9 and page.header.len() + page.bars.len() + (if page.marked == "" { 0 } else { 2 }) <= 6 { 12.5pt } else if lines <= 16 { 10.5pt } else { 8.8pt })
  set table(inset: (x: 0.5em, y: 0.42em))
  if page.rows.len() > 0 {
    table(
      columns: (
        auto,
        ..page.bars.map(_ => 13em),
        ..(if page.marked != "" { (15em,) } else { () }),
        ..page.header.map(_ => auto),
      ),
      align: left,
      table.header(..head.map(one => text(weight: 700, one))),
      table.hline(stroke: 0.5pt + rule),
      ..page.rows.map(row => (
        text(weight: 700, row.name),
        ..((row.before, row.after).slice(0, page.bars.len()).map(one => bar(one, page.bands))),
        ..(if page.marked != "" { (mark(row.mark, page.whole),) } else { () }),
        ..row.cells.map(one => [#one]),
      )).flatten(),
    )
  }
  for note in page.notes { par(text(size: 8pt, fill: quiet, note)) }
}
