# The page of a study: one HTML file without scripts, with nothing from outside.

#' @param page `title`, `text`, `facts` (texts below the title), `pieces`, `links` (other pages:
#'   text by path), `made` (who made it).
#'   Each piece: `name`, `headline`, `text`, `since` (tags or NULL), `figures` (`svg` each),
#'   `tables` (`title`, `parts`, `tail` each), `receipt` (columns), `asked` (`words`, `r`, `shell`),
#'   or `problem` (texts) in the place of these.
#' @return Lines.
#' @noRd
page_lines <- function(page) {
  tags <- htmltools::tags
  page$pieces <- with_own_regions(page$pieces)
  body <- tags$body(
    tags$a(class = "skip", href = "#content", "Skip to content"),
    tags$div(class = "page eggcrate",
      page_head(page), page_contents(page),
      tags$main(id = "content", page_each(page$each), lapply(page$pieces, page_piece)),
      page_appendix(page),
      tags$footer(tags$p(page$made))))
  html_page(page$title,
    tags$style(htmltools::HTML(paste0(style_sheet("table.css"), style_sheet("page.css")))), body,
    tags$meta(`http-equiv` = "Content-Security-Policy",
      content = paste("default-src 'none'; style-src 'unsafe-inline'; img-src data:; base-uri",
        "'none'; form-action 'none'")))
}

# Two parts may ask the same: what can be moved to has a name of its own.
with_own_regions <- function(pieces) {
  seen <- character()
  named <- function(tag, name) {
    if (inherits(tag, "shiny.tag") && identical(tag$attribs$role, "region")) {
      label <- tag$attribs[["aria-label"]]
      if (label %in% seen) label <- sprintf("%s, %s", label, spaced_name(name))
      seen <<- c(seen, label)
      tag$attribs[["aria-label"]] <- label
    } else if (is.list(tag) && !inherits(tag, "shiny.tag")) {
      tag[] <- lapply(tag, named, name)
    }
    tag
  }
  lapply(pieces, function(piece) {
    piece$tables <- lapply(piece$tables, function(table) {
      table$parts["body"] <- list(named(table$parts$body, piece$name))
      if (!is.null(table$tail)) {
        table$tail$parts["body"] <- list(named(table$tail$parts$body, paste(piece$name, "whole")))
      }
      table
    })
    piece
  })
}

page_head <- function(page) {
  tags <- htmltools::tags
  tags$header(tags$h1(page$title),
    if (!is.null(page$text)) tags$p(class = "said", shown_letters(page$text)),
    tags$p(class = "facts", lapply(page$facts, tags$span)))
}

# Text of the analyst and of the data is shown, and does not act.
shown_letters <- function(text) harmless(text, keep = "\n")

page_contents <- function(page) {
  tags <- htmltools::tags
  entry <- function(piece) {
    tags$li(tags$a(href = paste0("#", piece$name),
      tags$span(class = "name", spaced_name(piece$name)),
      tags$span(class = "short",
        if (is.null(piece$problem)) piece$headline else "could not be answered")))
  }
  tags$nav(`aria-label` = "Contents", tags$h2("Contents"), tags$ol(lapply(page$pieces, entry)),
    if (length(page$links)) tags$ul(class = "links",
      Map(function(path, text) tags$li(tags$a(href = path, text)),
        names(page$links), page$links, USE.NAMES = FALSE)))
}

# The list of pages of a study that has one for each.
page_each <- function(each) {
  if (is.null(each)) {
    return(NULL)
  }
  tags <- htmltools::tags
  rows <- lapply(each$rows, function(row) {
    tags$tr(tags$th(scope = "row", tags$a(href = row$path, harmless(row$name))),
      tags$td(class = "left long", row$headline))
  })
  tags$section(class = "part", tags$h2(id = "each-head", each$title),
    movable(tags$table(hidden_caption(each$title),
      tags$thead(tags$tr(tags$th(scope = "col", "page"), tags$th(scope = "col", "finding"))),
      tags$tbody(rows)), each$title))
}

spaced_name <- function(name) capital(gsub("[_-]+", " ", name))

page_piece <- function(piece) {
  tags <- htmltools::tags
  head <- tags$div(class = "lead", tags$p(class = "eyebrow", spaced_name(piece$name)),
    tags$h2(id = paste0(piece$name, "-head"), gsub("([0-9]) %", "\\1\u00a0%", piece$headline)),
    if (!is.null(piece$text)) tags$p(class = "said", shown_letters(piece$text)))
  body <- if (is.null(piece$problem)) {
    list(piece$since, lapply(piece$figures, page_figure), lapply(piece$tables, page_table),
      page_receipt(piece), page_asked(piece))
  } else {
    tags$div(class = "problem", lapply(piece$problem, tags$p))
  }
  tags$section(id = piece$name, class = "part", head, body)
}

page_figure <- function(figure) {
  htmltools::tags$figure(htmltools::HTML(paste(figure$svg, collapse = "\n")))
}

page_table <- function(table) {
  tags <- htmltools::tags
  tags$div(class = "table", if (nzchar(table$title)) tags$h3(table$title),
    tags$div(class = if (!is.null(table$tail)) "short", table$parts$body),
    if (!is.null(table$tail)) {
      tags$details(class = "tail", tags$summary(table$tail$title), table$tail$parts$body)
    },
    lapply(plain_letters(table$notes), function(line) tags$p(class = "note", line)))
}

receipt_table <- function(piece) {
  html_plain(receipt_cells(piece$receipt), sprintf("Receipt of %s", spaced_name(piece$name)))
}

receipt_cells <- function(receipt) {
  cells <- frame_cells(receipt, "n")
  cells$note$side <- "left long"
  cells
}

page_receipt <- function(piece) {
  if (length(piece$receipt$step)) {
    htmltools::tags$details(class = "receipt", htmltools::tags$summary("Receipt"),
      receipt_table(piece))
  }
}

page_asked <- function(piece) {
  htmltools::tags$details(class = "asked", htmltools::tags$summary("How to reproduce this"),
    asked_tags(piece$asked))
}

asked_tags <- function(asked) {
  tags <- htmltools::tags
  code <- function(title, lines) {
    list(tags$p(class = "kind", title),
      htmltools::HTML(sprintf("<pre tabindex=\"0\"><code>%s</code></pre>",
        htmltools::htmlEscape(paste(harmless(lines), collapse = "\n")))))
  }
  list(tags$ul(lapply(asked$words, function(line) tags$li(shown_letters(line)))),
    code("In R", asked$r),
    code("On the command line", asked$shell))
}

# Collapsed parts of the page are at the end in print.
page_appendix <- function(page) {
  tags <- htmltools::tags
  answered <- Filter(function(piece) is.null(piece$problem), page$pieces)
  tags$section(class = "appendix", `aria-hidden` = "true", tags$h2("Receipts"),
    lapply(answered, function(piece) {
      tags$div(class = "entry", tags$h3(spaced_name(piece$name)),
        if (length(piece$receipt$step)) receipt_table(piece), asked_tags(piece$asked))
    }))
}

# Figures ------------------------------------------------------------------

#' A chart in a page, with ids of its own and an alternative text.
#' @param svg Lines of an SVG file.
#' @param id What the names in it begin with.
#' @noRd
inline_svg <- function(svg, id, alt) {
  text <- paste(svg, collapse = "\n")
  text <- sub("^<\\?xml[^>]*>\\s*", "", text)
  text <- gsub("(?<= id=['\"])(?=[^'\"]+['\"])", paste0(id, "-"), text, perl = TRUE)
  text <- gsub("url(#", sprintf("url(#%s-", id), text, fixed = TRUE)
  head <- regmatches(text, regexpr("<svg[^>]*>", text))
  box <- regmatches(head, regexpr("viewBox='[^']*'|viewBox=\"[^\"]*\"", head))
  own <- sprintf(paste("<svg xmlns=\"http://www.w3.org/2000/svg\" class=\"svglite\" %s",
    "role=\"img\" aria-label=\"%s\">"), box,
    htmltools::htmlEscape(gsub("\n", " ", harmless(alt, "\n"), fixed = TRUE), attribute = TRUE))
  sub(head, own, text, fixed = TRUE)
}

# The figure without the lines of its title, cut below them.
without_title <- function(svg, title) {
  lines <- htmltools::htmlEscape(strsplit(title, "\n", fixed = TRUE)[[1L]])
  at <- vapply(lines,
    function(line) c(grep(paste0(">", line, "</text>"), svg, fixed = TRUE), NA)[1L], 1L)
  if (!length(at) || anyNA(at)) {
    return(svg)
  }
  below <- max(as.numeric(sub(".* y='([0-9.]+)'.*", "\\1", svg[at]))) + 4
  box <- grep("viewBox='", svg, fixed = TRUE)[1L]
  size <- as.numeric(strsplit(sub(".*viewBox='([^']*)'.*", "\\1", svg[box]), " ",
    fixed = TRUE)[[1L]])
  svg[box] <- sub("viewBox='[^']*'",
    sprintf("viewBox='0 %s %s %s'", number_text(below), number_text(size[3L]),
      number_text(size[4L] - below)), svg[box])
  svg[-at]
}
