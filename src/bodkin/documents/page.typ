// One sheet a student, drawn from data: the same marks as the screens, readable in grey.

#let sheets = json(bytes(sys.inputs.at("sheets")))
#let printer = sys.inputs.at("printer", default: "no") == "yes"
#let ink = rgb("#1f2a37")
#let quiet = rgb("#5d6470")
#let rule = rgb("#c9bda5")
#let ramp = (rgb("#e2d6bf"), rgb("#b4c0c8"), rgb("#6a8aa3"), rgb("#1f3f5f"))
#let serif = ("Literata", "Atkinson Hyperlegible Next")

#let day = sheets.at(0).day
#set document(
  title: if sheets.len() == 1 { sheets.at(0).title } else { sheets.at(0).caption },
  date: datetime(year: day.at(0), month: day.at(1), day: day.at(2)),
)
#set text(font: "Atkinson Hyperlegible Next", size: 10.5pt, fill: ink, fallback: true)
#set par(leading: 0.62em, spacing: 0.8em)
#show heading.where(level: 1): set text(font: serif, size: 20pt, weight: 500)
#show heading.where(level: 2): set text(font: serif, size: 13pt, weight: 500)
#show heading.where(level: 2): set block(above: 1.3em, below: 0.6em, sticky: true)
#set table(stroke: none, inset: (x: 4pt, y: 3pt))

// A colour of the ramp for a band, other numbers of bands interpolated.
#let tone(order, count) = {
  if count <= 1 { return ramp.at(3) }
  let place = (order - 1) / (count - 1) * 3
  let low = calc.floor(place)
  if low >= 3 { return ramp.at(3) }
  let share = (place - low) * 100%
  color.mix((ramp.at(low), 100% - share), (ramp.at(low + 1), share))
}

// A flight of steps, as many filled as the band is high.
#let steps(b) = grid(
  columns: (auto, 1fr),
  column-gutter: 8pt,
  align: bottom,
  figure(alt: b.text, box(width: b.count * 9pt, height: b.count * 4pt + 2pt, {
    for at in range(1, b.count + 1) {
      let filled = at <= b.order
      place(bottom + left, dx: (at - 1) * 9pt, rect(
        width: 8pt,
        height: at * 4pt,
        fill: if filled { tone(b.order, b.count) } else { none },
        stroke: 0.6pt + ink,
      ))
    }
  })),
  b.text,
)

// A growth lane: hollow dot to solid dot with its range, the expected tick, the goal's flag.
#let lane(b) = {
  let known = (b.first, b.now, b.low, b.high, b.expected, b.goal).filter(one => one != none)
  let least = calc.min(..known)
  let most = calc.max(..known)
  let room = calc.max((most - least) * 0.08, 1)
  let x(value) = (value - least + room) / (most - least + 2 * room) * 100%
  figure(alt: b.alt, box(width: 100%, height: 38pt, {
    let y = 18pt
    place(line(start: (0%, y), end: (100%, y), stroke: 0.5pt + rule))
    if b.first != none {
      place(line(
        start: (x(b.first), y),
        end: (x(b.now), y),
        stroke: (paint: ink, thickness: 1.6pt, dash: if b.now < b.first { "dashed" } else { none }),
      ))
    }
    if b.low != none and b.high != none {
      place(line(start: (x(b.low), y + 5pt), end: (x(b.high), y + 5pt), stroke: 0.8pt + ink))
    }
    if b.expected != none {
      place(line(start: (x(b.expected), y - 7pt), end: (x(b.expected), y + 7pt), stroke: 1.2pt + ink))
    }
    if b.expected != none {
      place(dx: x(b.expected) - 40pt, dy: y - 17pt, box(width: 80pt, align(center, text(size: 8pt, fill: quiet, b.expected_text))))
    }
    if b.goal != none {
      place(dx: x(b.goal) - 40pt, dy: y + 9pt, box(width: 80pt, align(center, text(size: 8pt, fill: quiet, b.goal_text))))
      place(dx: x(b.goal), dy: y - 12pt, line(start: (0pt, 0pt), end: (0pt, 12pt), stroke: 0.8pt + ink))
      place(dx: x(b.goal), dy: y - 12pt, polygon(fill: ink, (0pt, 0pt), (6pt, 2.5pt), (0pt, 5pt)))
    }
    if b.first != none {
      place(dx: x(b.first) - 3.2pt, dy: y - 3.2pt, circle(radius: 3.2pt, fill: white, stroke: 1pt + ink))
      place(dx: x(b.first) - 20pt, dy: y + 9pt, box(width: 40pt, align(center, text(size: 8.5pt, str(calc.round(b.first))))))
    }
    place(dx: x(b.now) - 3.2pt, dy: y - 3.2pt, circle(radius: 3.2pt, fill: ink))
    if b.first == none or calc.abs(b.first - b.now) / (most - least + 2 * room) > 0.06 {
      place(dx: x(b.now) - 20pt, dy: y + 9pt, box(width: 40pt, align(center, text(size: 8.5pt, weight: 700, str(calc.round(b.now))))))
    }
  }))
}

// Results over the bands that rise; a line that begins anew leaves the gap open.
#let path(b) = {
  let scores = b.points.map(one => (one.score, one.low, one.high)).flatten().filter(one => one != none)
  let all = scores + b.cuts.map(cut => cut.points.map(point => point.at(1))).flatten()
  let least = calc.min(..all)
  let most = calc.max(..all)
  let room = calc.max((most - least) * 0.08, 1)
  let left = 3%
  let wide = 80%
  let x(value) = left + value * wide
  let y(value) = (most + room - value) / (most - least + 2 * room) * 88pt
  figure(alt: b.alt, box(width: 100%, height: 106pt, {
    for (at, cut) in b.cuts.enumerate() {
      for (from, to) in cut.points.zip(cut.points.slice(1)) {
        place(line(
          start: (x(from.at(0)), y(from.at(1))),
          end: (x(to.at(0)), y(to.at(1))),
          stroke: (paint: ink, thickness: 0.7pt, dash: (1pt, 2pt + at * 0.6pt)),
        ))
      }
      let last = cut.points.last()
      place(dx: x(last.at(0)) + 1.2%, dy: y(last.at(1)) - 4pt, text(size: 7.5pt, fill: quiet, cut.band))
    }
    for (from, to) in b.points.zip(b.points.slice(1)) {
      if not to.open {
        place(line(start: (x(from.x), y(from.score)), end: (x(to.x), y(to.score)), stroke: 1.4pt + ramp.at(2)))
      }
    }
    for (at, one) in b.points.enumerate() {
      if one.low != none and one.high != none {
        place(line(start: (x(one.x), y(one.low)), end: (x(one.x), y(one.high)), stroke: 0.8pt + ink))
      }
      let last = at == b.points.len() - 1
      place(dx: x(one.x) - 2.6pt, dy: y(one.score) - 2.6pt, circle(
        radius: 2.6pt,
        fill: if last { ink } else { white },
        stroke: 0.9pt + ink,
      ))
    }
    // Names of windows stand where they have room; the first and the last always.
    let taken = -1.0
    for (at, tick) in b.ticks.enumerate() {
      let ends = at == 0 or at == b.ticks.len() - 1
      if ends or (tick.at(0) - taken > 0.2 and tick.at(0) < 0.82) {
        place(dx: x(tick.at(0)) - 30pt, dy: 94pt, box(width: 60pt, align(center, text(size: 7.5pt, fill: quiet, tick.at(1)))))
        taken = tick.at(0)
      }
    }
  }))
}

#let block-of(b) = {
  if b.kind == "text" [#par(b.text)]
  if b.kind == "list" { list(..b.items.map(one => [#one])) }
  if b.kind == "steps" { steps(b) }
  if b.kind == "lane" { lane(b) }
  if b.kind == "path" {
    block(breakable: false, {
      text(weight: 700, size: 9.5pt, b.title)
      path(b)
    })
  }
  if b.kind == "table" {
    set text(size: 9pt)
    set par(leading: 0.5em)
    table(
      columns: b.header.len(),
      align: (column, _) => if b.numbers.contains(column) { right } else { left },
      table.header(..b.header.map(one => text(weight: 700, one))),
      table.hline(stroke: 0.5pt + rule),
      ..b.rows.flatten().map(one => [#one]),
    )
  }
}

#let sheet(s) = {
  set page(
    paper: "us-letter",
    margin: (x: 19mm, top: 17mm, bottom: 20mm),
    footer: context {
      set text(size: 8pt, fill: quiet)
      let first = query(selector(<sheet>).before(here())).last().location().page()
      let ends = query(selector(<end>).after(here()))
      let last = if ends.len() > 0 { ends.first().location().page() } else { here().page() }
      grid(
        columns: (1fr, auto),
        [#s.confidential],
        s.page_of.replace("{n}", str(here().page() - first + 1)).replace("{all}", str(last - first + 1)),
      )
    },
  )
  set text(lang: s.language)
  [#metadata(s.student_id) <sheet>]
  heading(level: 1, s.title)
  v(-0.5em)
  text(fill: quiet, size: 9.5pt)[#s.subtitle \ #s.caption \ #s.made]
  for part in s.sections {
    context [#metadata((section: part.key, page: here().page())) <section>]
    heading(level: 2, part.heading)
    for b in part.blocks { block-of(b) }
  }
  [#metadata(s.student_id) <end>]
}

#for (at, s) in sheets.enumerate() {
  if at > 0 { if printer { pagebreak(to: "odd", weak: false) } else { pagebreak() } }
  sheet(s)
}
