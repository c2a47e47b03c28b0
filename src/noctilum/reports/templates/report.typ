// A report in pages. What it says comes as JSON (sys.inputs.report, as of reports/layout.py): texts are set, never run.
#let d = json(bytes(sys.inputs.report))

#let ink = rgb("#241F19")
#let ink2 = rgb("#544C40")
#let rule = rgb("#DED5C2")
#let edge = rgb("#B5AA94")
#let hue = rgb(d.colour)
#let ways = (better: rgb("#1C5C98"), worse: rgb("#A63F17"), level: ink2, few: ink2)
#let bands = ("#1e2a52", "#35477d", "#5a6ca3", "#96a3cb", "#c0c9e1", "#e1e5f0", "#f2ece0").map(rgb)
#let serif = ("Petrona", "DejaVu Serif", "DejaVu Sans")
#let side = 16mm

// Text whose words, where they are too long, may break anywhere, without a sign that would be copied along with them.
#let broken(told, least, is-long) = {
  let at = 0
  for found in told.matches(regex("[^\\s/\\-]{" + str(least) + ",}")) {
    told.slice(at, found.start)
    if is-long(found.text) { found.text.clusters().join(h(0pt)) } else { found.text }
    at = found.end
  }
  told.slice(at)
}
#let soft(told, n: 34) = broken(told, n, word => true)
// The same for words that are wider than there is room at a size; known only where one is in context.
#let fitted(told, room, size) = broken(told, 4, word => measure(text(size: size, word)).width > room)

#set document(title: d.client + ": " + d.title, date: none)
#set text(font: ("Archivo", "DejaVu Sans"), size: 9.6pt, fill: ink, lang: d.lang, region: d.region, number-width: "tabular")
#set par(leading: 0.6em, spacing: 6pt)
#show emph: set text(font: serif)
#show heading: set block(above: 0pt, below: 0pt)
#show heading: set text(font: serif)
#show heading.where(level: 1): set text(size: 23pt, weight: 600)
#show heading.where(level: 2): set text(size: 12pt, weight: 700, fill: hue)
#show heading.where(level: 3): set text(size: 11pt, weight: 600)
#set page(
  paper: if d.paper == "Letter" { "us-letter" } else { "a4" },
  margin: (top: 24mm, bottom: 18mm, x: side),
  header-ascent: 9pt,
  header: {
    let sign = if d.logo != none {
      box(baseline: 25%, image(bytes(d.logo.body), format: d.logo.kind, height: 22pt, alt: d.client)) + h(8pt)
    }
    block(width: 100%, stroke: (bottom: 1.6pt + hue), inset: (bottom: 5pt), grid(
      columns: (1fr, auto), column-gutter: 12pt, align: (left + bottom, right + bottom),
      text(font: serif, size: 13pt, weight: 600, fill: hue, sign + soft(d.client)),
      text(size: 9pt, fill: ink2, d.head),
    ))
  },
  footer-descent: 7mm,
  footer: context text(size: 9pt, fill: ink2, grid(
    columns: (1fr, auto), column-gutter: 12pt,
    soft(d.foot), [#here().page() #d.words.of #counter(page).final().first()],
  )),
)

#let mark(way, fill) = box(inset: (right: 2.5pt), polygon(
  fill: fill,
  ..if way == "up" { ((0pt, 5pt), (6pt, 5pt), (3pt, 0pt)) } else { ((0pt, 0pt), (6pt, 0pt), (3pt, 5pt)) },
))

#let spark(values) = {
  let known = values.filter(each => each != none)
  let top = calc.max(..known, 1e-9)
  let (wide, high) = (17mm, 3.2mm)
  let step = wide / calc.max(values.len() - 1, 1)
  let points = values.enumerate().filter(((at, each)) => each != none).map(((at, each)) => (at * step, high * (1 - each / top)))
  box(width: wide, height: high, curve(
    stroke: .7pt + rgb("#2A7558"),
    curve.move(points.first()), ..points.slice(1).map(each => curve.line(each)),
  ))
}

#let cell(c) = if c.curve.len() > 0 { if c.curve.any(each => each != none) { spark(c.curve) } } else {
  let fill = ways.at(c.way, default: if c.aside { ink2 } else { ink })
  let told = text(fill: fill, weight: if c.strong { 700 } else { 400 }, c.text)
  if c.mark != "" { mark(c.mark, fill) }
  if c.way == "few" { underline(stroke: (paint: ink2, thickness: .6pt, dash: "dotted"), offset: 2pt, told) } else { told }
}

// Words stand further from numbers before them, which end where they begin.
#let apart(t, at) = if at > 0 and t.heads.at(at - 1).number and not t.heads.at(at).number { 6pt } else { 0pt }

// How wide each column is: numbers as wide as they are, words share what is left.
#let widths(t, size, head, pad, all) = {
  let widest(told, size) = calc.max(
    0pt, ..told.sorted(key: each => -each.len()).slice(0, calc.min(3, told.len())).map(each => measure(text(size: size, each)).width),
  )
  let columns = t.heads.enumerate().map(((at, title)) => {
    let told = t.rows.map(row => row.cells.at(at).text)
    let marks = if t.rows.any(row => row.cells.at(at).mark != "") { 8.5pt } else { 0pt }
    let title-word = widest(title.title.split(regex("[\s\-]")).map(each => each + "-"), head)
    let lines = t.rows.any(row => row.cells.at(at).curve.len() > 0)
    let natural = if lines { 17mm } else { widest(told, size) * 1.04 + marks }
    if lines { return (words: false, least: natural + 2 * pad) }
    if title.number { (words: false, least: calc.max(natural, title-word) + 2 * pad + .5pt) } else {
      let least = calc.max(calc.min(title-word, 30mm), calc.min(natural, if at == 0 { 34mm } else { 16mm }))
      let room = 2 * pad + apart(t, at)
      (words: true, least: least + room, wish: calc.max(least, calc.min(natural, 84mm)) + room)
    }
  })
  let least = columns.map(each => each.least).sum(default: 0pt)
  if least > all { return (columns.map(each => each.least * (all / least)), all / least) }
  let wanted = columns.map(each => if each.words { each.wish - each.least } else { 0pt }).sum(default: 0pt)
  let given = if wanted > all - least { (all - least) / wanted } else { 1 }
  let found = columns.map(each => if each.words { each.least + (each.wish - each.least) * given } else { each.least })
  let spare = all - found.sum(default: 0pt)
  (found.map(each => each + spare * (each / (all - spare))), 1)
}

#let table-of(t) = context {
  let (size, head, pad) = if t.dense { (7.6pt, 7.2pt, 2pt) } else { (8.8pt, 8.2pt, 3pt) }
  let (columns, scale) = widths(t, size, head, pad, page.width - 2 * side)
  let room(at) = columns.at(at) - (2 * pad + apart(t, at)) * scale
  let fit(at, told, size) = if scale == 1 and t.heads.at(at).number { told } else { fitted(told, room(at), size * scale) }
  let sides = t.heads.map(each => if each.number { right } else { left })
  set text(size: size * scale)
  set par(leading: 0.5em)
  let roles = ("",) + t.rows.map(row => row.role)
  table(
    columns: columns,
    align: (x, y) => sides.at(x) + if y == 0 { bottom } else { horizon },
    inset: (x, y) => (left: (pad + apart(t, x)) * scale, right: pad * scale, y: if t.dense { 3.4pt } else { 4.2pt }),
    stroke: (x, y) => if y == 0 { (bottom: .6pt + edge) } else if roles.at(y, default: "") == "sum" {
      (top: .8pt + ink, bottom: .8pt + ink)
    } else { (bottom: .4pt + rule) },
    table.header(..t.heads.enumerate().map(((at, each)) => text(
      size: head * scale, weight: 500, fill: ink2, fit(at, each.title, head),
    ))),
    ..for row in t.rows {
      row.cells.enumerate().map(((at, c)) => table.cell(breakable: c.text.len() > 1500, {
        set text(fill: ink2) if row.role == "rest"
        set text(weight: 600) if row.role == "sum"
        let set-as = if row.role == "rest" and c.way == "" { (aside: true) } else if row.role == "sum" { (strong: true) } else { (:) }
        cell((..c, ..set-as, text: fit(at, c.text, size)))
      }))
    },
  )
}

#let facts-of(f) = grid(
  columns: (1fr,) * f.facts.len(),
  stroke: (x, y) => if x > 0 { (left: .6pt + edge) },
  inset: (x, y) => (left: if x > 0 { 8pt } else { 0pt }, right: 6pt, y: 1pt),
  ..f.facts.map(each => {
    set par(spacing: 4pt)
    text(size: 8.4pt, fill: ink2, each.name)
    parbreak()
    text(font: serif, size: 17pt, weight: 600, each.now)
    parbreak()
    if each.change != "" { text(fill: ways.at(each.way, default: ink), each.change) + " " }
    text(size: 8.6pt, fill: ink2, each.before)
  }),
)

#let key(kind) = if kind != "" {
  let (weight, fill) = (now: (1.6pt, ink), ghost: (1pt, rgb("#918875")), band: (6pt, rgb("#D5E3DA"))).at(kind)
  h(6pt) + box(baseline: -2pt + weight / -2, line(length: 14pt, stroke: weight + fill)) + h(3pt)
} else { " " }

#let chart-of(c) = block(breakable: false, width: 100%, {
  if c.legend.len() > 0 {
    align(right, text(size: 8.4pt, fill: ink2, c.legend.map(each => key(each.line) + each.text).join()))
    v(-3pt)
  }
  image(bytes(c.svg), format: "svg", width: 100%, alt: c.caption + ": " + c.told.map(row => row.join(", ")).join("; "))
})

#let ladder-of(l) = {
  set text(size: 7.4pt)
  let quiet = text.with(size: 7.2pt, weight: 500, fill: ink2)
  table(
    columns: (46mm, ..(1fr,) * l.steps.len(), 13mm),
    align: (x, y) => (if x == 0 { left } else if x > l.steps.len() { right } else { center }) + horizon,
    inset: (x: .6pt, y: 1.6pt),
    stroke: (x, y) => if y == 0 { (bottom: .6pt + edge) } else if x == 0 or x > l.steps.len() { (bottom: .4pt + rule) } else { .5pt + white },
    fill: none,
    table.header(quiet(l.term), ..l.steps.map(each => quiet(each)), quiet(l.change)),
    ..for rung in l.rungs {
      (
        table.cell(box(width: 45mm, height: 8pt, clip: true, align(horizon, rung.term + " " + text(fill: ink2, rung.beside)))),
        ..rung.steps.map(step => if step.band == 0 { table.cell[] } else {
          table.cell(fill: bands.at(step.band - 1), text(
            size: if step.band == 7 { 5.4pt } else { 6.8pt },
            fill: if step.band <= 3 { white } else { ink },
            step.text,
          ))
        }),
        cell(rung.change),
      )
    },
  )
}

#let side-of(side) = {
  text(size: 8.4pt, fill: ink2, side.name) + v(-3pt)
  grid(columns: (9mm,) * side.rows.first().len(), rows: 8mm, gutter: 1pt, align: center + horizon, ..side.rows.flatten().map(step => {
    if step.band == 0 { grid.cell(stroke: .4pt + rule)[] } else {
      grid.cell(fill: bands.at(step.band - 1), text(
        size: if step.band == 7 { 6.4pt } else { 8.4pt }, fill: if step.band <= 3 { white } else { ink }, step.text,
      ))
    }
  }))
}

#let grid-of(g) = block(breakable: false, {
  grid(columns: (auto,) * g.sides.len(), column-gutter: 14mm, ..g.sides.map(side-of))
  v(-1pt)
  text(size: 8.4pt, fill: ink2, g.caption)
})

// Commentary, from the tree of its Markdown.
#let inline(nodes) = nodes.map(node => {
  let kind = node.type
  if kind == "text" { soft(node.text) }
  else if kind == "code_inline" { text(font: "DejaVu Sans Mono", size: .9em, soft(node.text)) }
  else if kind == "em" { emph(inline(node.children)) }
  else if kind == "strong" { strong(inline(node.children)) }
  else if kind == "softbreak" { [ ] }
  else if kind == "hardbreak" { linebreak() }
  else if kind == "link" {
    let shown = text(fill: hue, inline(node.children))
    if node.href == "" or node.href.len() > 2000 { shown } else { link(node.href, shown) }
  } else { inline(node.children) }
}).join()

#let blocks(nodes) = nodes.map(node => {
  let kind = node.type
  if kind == "heading" { block(sticky: true, above: 8pt, below: 4pt, heading(level: calc.max(3, node.level), inline(node.children))) }
  else if kind == "bullet_list" { list(..node.children.map(each => blocks(each.children))) }
  else if kind == "ordered_list" { enum(..node.children.map(each => blocks(each.children))) }
  else if kind == "blockquote" { block(stroke: (left: 1.2pt + edge), inset: (left: 8pt), blocks(node.children)) }
  else if kind == "code_block" or kind == "fence" { text(font: "DejaVu Sans Mono", size: 8pt, node.text.split("\n").map(line => soft(line.replace(" ", "\u{00A0}"))).join(linebreak())) }
  else if kind == "hr" { line(length: 100%, stroke: .6pt + edge) }
  else if kind == "table" {
    let rows = node.children.map(part => part.children).flatten()
    let count = rows.first().children.len()
    table(
      columns: (1fr,) * count, inset: 3pt, stroke: (x, y) => (bottom: .4pt + rule),
      table.header(..rows.first().children.map(each => strong(inline(each.children)))),
      ..rows.slice(1).map(row => row.children.map(each => [#inline(each.children)])).flatten(),
    )
  } else { inline(node.children) + parbreak() }
}).join()

#let shapes = (
  table: table-of, facts: facts-of, chart: chart-of, ladder: ladder-of, grid: grid-of,
  words: w => block(sticky: true, par(soft(w.text))),
  listing: l => enum(..l.lines.map(each => soft(each))),
)

#let begins(number) = context [#metadata((number: number, page: here().page()))<begins>]

#let headed(s) = if s.title != "" {
  let one = s.title.len() * 2.4 + s.about.len() * 1.6 < 168
  block(sticky: true, breakable: false, width: 100%, above: 14pt, below: 7pt, stroke: (top: .8pt + hue), inset: (top: 5pt), grid(
    columns: if s.about == "" { (1fr,) } else if one { (auto, 1fr) } else { (3fr, 2fr) },
    column-gutter: 10pt, align: (left + bottom, right + bottom),
    heading(level: 2, text(hyphenate: true, soft(s.title))),
    ..if s.about == "" { () } else { (text(size: 8.4pt, fill: ink2, s.about),) },
  ))
}

#let body(s) = {
  begins(s.number)
  headed(s)
  if s.commentary.len() > 0 { block(width: 150mm, below: 8pt, blocks(s.commentary)) }
  if s.why != "" { emph(text(fill: ink2, s.why)) }
  for each in s.shapes { (shapes.at(each.shape))(each) }
}

#if d.cover.len() > 0 {
  page(header: none, footer: none, margin: (x: 28mm, top: 88mm, bottom: 24mm), {
    if d.logo != none { image(bytes(d.logo.body), format: d.logo.kind, height: 16mm, alt: d.client) + v(10mm) }
    set text(fill: ink2, size: 11pt)
    text(size: 13pt, weight: 600, fill: hue, soft(d.cover.first()))
    parbreak()
    block(above: 12pt, below: 18pt, stroke: (top: 1.6pt + hue), inset: (top: 14pt), width: 100%, {
      set par(leading: 0.4em)
      text(font: serif, size: 28pt, weight: 600, fill: ink, hyphenate: true, soft(d.cover.at(1), n: 18))
    })
    for line in d.cover.slice(2) { par(soft(line)) }
  })
}
#block(below: 8pt, {
  set par(leading: 0.42em)
  heading(level: 1, text(hyphenate: true, soft(d.title, n: 20)))
})
#block(below: 9pt, text(size: 9pt, fill: ink2, soft(d.window)))
#block(
  stroke: (left: 2pt + hue), inset: (left: 9pt, y: 2pt), above: 9pt, below: 8pt,
  text(font: serif, size: 11.2pt, soft(d.summary.join(" ", default: ""))),
)
#for s in d.sections {
  if s.breaks { pagebreak(weak: true) + begins(s.number) }
  else if s.long { body(s) }
  else {
    context {
      let whole = block(width: page.width - 2 * side, body(s))
      block(breakable: measure(whole).height > page.height - 70mm, width: 100%, above: 14pt, body(s))
    }
  }
}
#block(width: 100%, above: 18pt, breakable: false, stroke: (top: (paint: rgb("#8C8370"), thickness: .6pt, dash: "dotted")), inset: (top: 6pt), {
  set text(size: 8.6pt, fill: ink2)
  if d.left_out.len() > 0 {
    text(fill: ink, weight: 700, d.left_out_title)
    list(..d.left_out.map(each => soft(each)))
  }
  for each in d.end { par(soft(each)) }
})
#context [#metadata(counter(page).final().first())<pages>]
