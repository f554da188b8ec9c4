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
#let bar(shares, bands) = if shares.len() > 0 {
  let said = bands.zip(shares).map(((band, share)) => band + " " + str(calc.round(share * 100)) + " %").join(", ")
  figure(alt: said, box(width: 110pt, height: 9pt, {
    let at = 0.0
    for (order, share) in shares.enumerate() {
      place(dx: at * 110pt, rect(
        width: share * 110pt,
        height: 9pt,
        fill: tone(order + 1, shares.len()),
        stroke: 0.4pt + ink,
      ))
      at += share
    }
  }))
}

// A share beside the whole: hollow the raw figure, solid the estimate drawn toward the whole.
#let mark(b, whole) = if b != none {
  let x(value) = calc.min(1, calc.max(0, value)) * 120pt
  let alt = "estimate " + str(calc.round(b.estimate * 100)) + " %, raw " + str(calc.round(b.raw * 100)) + " %"
  figure(alt: alt, box(width: 122pt, height: 9pt, {
    if whole != none {
      place(line(start: (x(whole), 0pt), end: (x(whole), 9pt), stroke: 0.5pt + quiet))
    }
    if b.low != none and b.high != none {
      place(line(start: (x(b.low), 4.5pt), end: (x(b.high), 4.5pt), stroke: 0.7pt + ink))
    }
    place(dx: x(b.raw) - 2.4pt, dy: 2.1pt, circle(radius: 2.4pt, fill: white, stroke: 0.8pt + ink))
    place(dx: x(b.estimate) - 2.2pt, dy: 2.3pt, circle(radius: 2.2pt, fill: ink))
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
  let barred = page.bands.len() > 0
  let head = ("", ..(if barred { ("Before", "After") } else if page.marked { ("Share who met",) } else { () }), ..page.header)
  set text(size: 8.8pt)
  table(
    columns: head.len(),
    align: (column, _) => if column == 0 { left } else { left },
    table.header(..head.map(one => text(weight: 700, one))),
    table.hline(stroke: 0.5pt + rule),
    ..page.rows.map(row => (
      text(weight: 700, row.name),
      ..(if barred { (bar(row.before, page.bands), bar(row.after, page.bands)) } else if page.marked { (mark(row.mark, page.whole),) } else { () }),
      ..row.cells.map(one => [#one]),
    )).flatten(),
  )
  for note in page.notes { par(text(size: 8pt, fill: quiet, note)) }
}
