# Static HTML of the page, without inline scripts.

#' @param key The secret of the address, which its own files need too.
#' @noRd
desk_page <- function(desk, key) {
  tags <- htmltools::tags
  region <- function(id, tag = "div", ...) tags[[tag]](id = id, ...)
  own <- function(path) sprintf("%s?key=%s", path, key)
  panel <- function(id, title, ...) {
    tags$section(class = "panel", `aria-labelledby` = paste0(id, "-title"),
      tags$h2(class = "panel-title", id = paste0(id, "-title"), title), ...)
  }
  htmltools::tagList(
    tags$head(tags$title(sprintf("%s - desk", desk$source$name)),
      tags$meta(name = "viewport", content = "width=device-width, initial-scale=1"),
      tags$link(rel = "stylesheet", href = own("desk.css")),
      tags$link(rel = "icon", href = "data:,"), tags$script(src = own("desk.js"), defer = NA)),
    tags$div(id = "desk", class = "eggcrate",
      tags$header(class = "top", tags$h1(harmless(desk$source$name)),
        tags$p(class = "facts", desk_facts(desk)),
        tags$p(id = "said", class = "hidden", role = "status", `aria-live` = "polite"),
        tags$p(id = "working", role = "status", hidden = NA, tags$span("Working "),
          tags$button(type = "button", id = "stop", "Stop")),
        view_take()),
      tags$form(class = "question", autocomplete = "off", onsubmit = NULL,
        panel("sentence", "The question", region("sentence")),
        tags$details(class = "panel columns", open = NA, tags$summary("Columns"),
          region("columns", "div", view_columns(desk))), view_offers(desk)),
      tags$main(class = "answer-side", region("beside"),
        tags$div(class = "answers", tags$div(class = "answer here",
          region("finding"), region("moving"), tags$div(id = "figure", class = "picture"),
          region("table")),
          tags$div(class = "answer there", id = "there", hidden = NA, region("finding-there"),
            tags$div(id = "figure-there", class = "picture"), region("table-there")))),
      tags$aside(class = "picked-side", `aria-label` = "Selected items, and the history",
        panel("trail", "History", region("trail")), panel("picked", "Selected", region("picked"))),
      tags$div(id = "hint", role = "tooltip", hidden = NA)))
}

desk_document <- function(desk, key) {
  page <- htmltools::renderTags(desk_page(desk, key))
  c("<!DOCTYPE html>", "<html lang=\"en\"><head><meta charset=\"utf-8\">", page$head,
    "</head><body>", page$html, "</body></html>")
}

desk_facts <- function(desk) {
  date <- columns_of_type(desk$columns, "date")
  span <- if (length(date)) tryCatch(source_range(desk$source, date[1L]),
    eggcrate_error = function(e) NULL)
  text <- c(counted(desk$source$n, "row"), counted(length(desk$columns), "column"),
    if (!is.null(span)) sprintf("%s from %s to %s", date[1L], day_text(span[1L]),
      day_text(span[2L])))
  harmless(paste(text, collapse = ", "))
}

take_forms <- c(csv = "Table, CSV", xlsx = "Table, workbook", png = "Figure, PNG",
  svg = "Figure, SVG", html = "Chosen steps, page",
  toml = "Chosen steps, study", r = "Chosen steps, R script", sh = "Chosen steps, commands")

view_take <- function() {
  tags <- htmltools::tags
  tags$details(class = "take", tags$summary("Export"),
    tags$div(class = "forms", Map(function(form, text) {
      tags$button(type = "button", class = "takes", `data-form` = form, text)
    }, names(take_forms), take_forms, USE.NAMES = FALSE),
      tags$p(class = "note",
        paste("Tick the steps to export in the history. If none is ticked, the current step is",
          "exported."))))
}

# The colours are those of all else.
desk_style <- function() {
  colours <- c(ink = "ink", yolk = "yolk", shell = "shell", duck = "duck_egg", clay = "clay",
    stone = "stone")
  path <- system.file("desk", "desk.css", package = "eggcrate")
  c(sprintf(":root{%s}",
    paste(sprintf("--%s:%s", names(colours), palette_eggcrate[colours]), collapse = ";")),
    style_sheet("table.css"),
    readLines(path, encoding = "UTF-8"))
}
