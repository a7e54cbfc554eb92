# What the page shows, as tags: the sentence, the answer, what is picked, the trail.

# The sentence -------------------------------------------------------------

view_sentence <- function(desk) {
  tags <- htmltools::tags
  step <- desk$draft %||% desk_step(desk)
  fields <- step_fields(step$kind)
  said <- intersect(names(desk_words), fields)
  additional <- setdiff(fields, said)
  used <- length(intersect(additional, names(step$args)))
  list(
    tags$div(class = "field",
      tags$label(tags$span(class = "word", "Show"),
        tags$select(`data-field` = "kind", lapply(names(desk_kinds), function(kind) {
          option_tag(kind, desk_kinds[[kind]]$title, step$kind == kind)
        })))),
    lapply(said, view_field, step = step, desk = desk),
    view_conditions(step, desk$columns),
    tags$details(class = "further", open = if (used) NA,
      tags$summary(if (used) sprintf("Rules and marks (%d)", used) else "Rules and marks"),
      lapply(additional, view_field, step = step, desk = desk)),
    tags$p(class = "wrong", id = "wrong-question", role = "alert"))
}

option_tag <- function(value, text, chosen) htmltools::tags$option(value = value,
  selected = if (chosen) NA, text)

view_field <- function(name, step, desk) {
  tags <- htmltools::tags
  argument <- argument_of(step_command(step), name)
  value <- step$args[[name]]
  word <- field_word(name)
  id <- paste0("wrong-", name)
  control <- switch(argument$type,
    choice = tags$select(`data-field` = name, `aria-describedby` = id,
      lapply(argument$choices, function(choice) {
        option_tag(if (identical(choice, argument$default)) "" else choice, choice,
          identical(choice, value %||% argument$default))
      }), if (is.null(argument$default)) option_tag("", "(default)", is.null(value))),
    flag = , switch = tags$input(type = "checkbox", `data-field` = name,
      checked = if (isTRUE(value)) NA, `aria-describedby` = id),
    if (isTRUE(argument$repeated)) {
      tags$textarea(`data-field` = name, rows = max(1L, length(field_lines(value %||% ""))),
        `aria-describedby` = id, spellcheck = "false",
        title = argument$help, placeholder = "one to a line", value)
    } else {
      tags$input(type = "text", `data-field` = name, value = value,
        list = paste0("offers-", argument$type), autocomplete = "off",
        spellcheck = "false",
        placeholder = if (is.null(argument$default)) NULL else as.character(argument$default),
        title = argument$help,
        `aria-describedby` = id)
    })
  if (argument$type == "switch") word <- paste("no", word)
  tags$div(class = "field", tags$label(tags$span(class = "word", word), control),
    tags$p(class = "wrong", id = id, `aria-live` = "polite"))
}

view_conditions <- function(step, columns) {
  tags <- htmltools::tags
  conditions <- c(step$conditions, list(list(text = "", on = TRUE)))
  tags$fieldset(class = "conditions", tags$legend(class = "word", "where"),
    lapply(seq_along(conditions), function(i) {
      one <- conditions[[i]]
      tags$div(class = "condition",
        tags$input(type = "checkbox", class = "on", checked = if (one$on) NA,
          `aria-label` = sprintf("condition %d holds", i)),
        tags$input(type = "text", class = "text", value = one$text, list = "offers-condition",
          autocomplete = "off", spellcheck = "false",
          `aria-label` = sprintf("condition %d", i),
          `aria-describedby` = sprintf("wrong-condition-%d", i),
          placeholder = if (i == length(conditions)) a_condition(columns) else NULL),
        tags$button(type = "button", class = "away",
          `aria-label` = sprintf("Take condition %d away", i), "\u00d7"),
        tags$p(class = "wrong", id = sprintf("wrong-condition-%d", i), `aria-live` = "polite"))
    }))
}

# What fields have on offer, by type.
view_offers <- function(desk) {
  types <- setdiff(unique(vapply(grammar_arguments, `[[`, "", "type")),
    c("choice", "flag", "switch", "table"))
  lapply(types, function(type) {
    htmltools::tags$datalist(id = paste0("offers-", type),
      lapply(desk_offers(type, desk$columns), function(text) {
        htmltools::tags$option(value = text)
      }))
  })
}

view_columns <- function(desk) {
  tags <- htmltools::tags
  shown <- utils::head(desk$columns, 60L)
  more <- length(desk$columns) - length(shown)
  list(tags$ul(lapply(shown, function(column) {
    values <- cut_names(harmless(column$values), 18L)
    tags$li(tags$button(type = "button", class = "column", `data-insert` = tick_odd(column$name),
      title = "Put into the field that was last in use",
      harmless(column$name)), tags$span(class = "type", column$type),
      if (length(values)) tags$span(class = "values", paste(values, collapse = ", ")))
  })), if (more > 0L) tags$p(class = "note",
    sprintf("and %s more: type their names.", count_text(more))))
}

# The answer ---------------------------------------------------------------

#' @param result From `step_result()`.
#' @param parts From `answer_parts()`; NULL where there is no answer.
#' @noRd
view_finding <- function(result, parts) {
  tags <- htmltools::tags
  if (!is_answered(result)) {
    return(list(tags$h2(result$headline),
      tags$div(class = "problem", role = "alert", lapply(harmless(result$problem), tags$p))))
  }
  list(tags$h2(harmless(result$headline)),
    lapply(harmless(parts$lines), function(line) tags$p(class = "line", line)),
    lapply(result$warnings, function(line) tags$p(class = "line", harmless(line))))
}

view_moving <- function(result, step) {
  if (is_answered(result)) {
    list(view_thresholds(step, result$x),
      htmltools::tags$div(class = "groups-shown", view_groups(step, result$x), view_rows(step)))
  }
}

view_table <- function(desk, result, parts) {
  tags <- htmltools::tags
  if (!is_answered(result)) {
    return(NULL)
  }
  list(parts$body,
    lapply(plain_letters(parts$notes), function(line) tags$p(class = "note", harmless(line))),
    if (inherits(result$x, "eggcrate_answer")) tags$details(tags$summary("Receipt"),
      receipt_table(list(name = "answer", receipt = answer_of(result$x)$receipt))),
    tags$details(tags$summary("How to reproduce this"), asked_tags(desk_asked(desk, result))))
}

desk_asked <- function(desk, result) {
  list(words = question_words(result$part, result$args),
    r = desk_r_code(desk, result$part$command, result$args),
    shell = desk_shell_code(desk, result$part$command, result$args))
}

# Rows of items know which they are, so that they can be picked.
answer_parts <- function(result, step) {
  if (!is_answered(result)) {
    return(NULL)
  }
  rows <- as.numeric(step$rows)
  html_of(result$x,
    n = if (inherits(result$x, c("eggcrate_grid", "eggcrate_movement"))) max(rows, 20) else rows,
    items = TRUE)
}

view_thresholds <- function(step, x) {
  tags <- htmltools::tags
  found <- step_thresholds(step, x)
  if (!length(found)) {
    return(NULL)
  }
  tags$div(class = "thresholds", lapply(found, function(one) {
    number <- function(value) number_text(signif(value, 12L))
    slider <- function(type, class) {
      tags$input(type = type, class = class, `data-threshold` = one$id, min = number(one$least),
        max = number(one$most),
        step = if (type == "range") number(one$by) else "any",
        value = number(if (type == "range") one$value else signif(one$value, 6L)),
        `aria-label` = if (type == "range") paste(one$label, "slider") else one$label)
    }
    tags$div(class = "threshold", tags$span(class = "label", harmless(one$label)),
      slider("range", "slide"), slider("number", "exact"),
      tags$span(class = "unit", one$unit))
  }))
}

# All, one group, or what is left of all without it.
view_groups <- function(step, x) {
  if (!inherits(x, "eggcrate_standings") || !"only" %in% step_fields(step$kind)) {
    return(NULL)
  }
  tags <- htmltools::tags
  groups <- step_groups(x)
  now <- step$args$only
  if (!length(groups) && is.null(now)) {
    return(NULL)
  }
  button <- function(text, selection) {
    tags$button(type = "button", class = "only", `data-only` = selection,
      `aria-pressed` = if (identical(now %||% "", selection)) "true" else "false",
      harmless(text))
  }
  other <- if (!is.null(now)) button("all but these", complement_of(now))
  tags$div(class = "choice", role = "group", `aria-label` = "What is shown",
    tags$span(class = "label", "show"), button("all", ""),
    Map(button, names(groups), groups, USE.NAMES = FALSE), other)
}

# The chart, if there are several, and the number of rows of the table.
view_rows <- function(step) {
  tags <- htmltools::tags
  charts <- kind_charts(step$kind)
  tags$div(class = "rows-shown", if (length(charts) > 1L) {
    tags$label("chart ",
      tags$select(`data-chart` = NA, option_tag("", "default", !nzchar(step$chart)),
        lapply(charts,
          function(chart) option_tag(chart, spaced_words(chart), chart == step$chart))))
  }, tags$label("rows ",
    tags$select(`data-rows` = NA,
      lapply(desk_row_counts, function(n) option_tag(n, n, n == step$rows)))))
}

complement_of <- function(selection) {
  if (grepl("^!\\(.*\\)$", selection)) substr(selection, 3L, nchar(selection) - 1L) else
    sprintf("!(%s)", selection)
}

# Pointing -----------------------------------------------------------------

#' What is said of an item that is pointed at: lines of text, the name first.
#' @noRd
item_hints <- function(x, rows) {
  x <- standings_behind(x)
  ans <- answer_of(x)
  shown <- match(rows, whole_rows(ans))
  keys <- names(all_keys(ans$plan))
  names <- picked_labels(ans, rows)
  # The name of a cell of a grid says its column.
  grouped <- length(keys) > length(picked_nodes(ans))
  group <- if (grouped) list(group_labels(ans)[ans$ranked$cell[rows]])
  columns <- setdiff(names(x), c(keys, mark_columns, "running", "percentile", "cum_share", "shade"))
  lines <- lapply(columns, function(name) {
    values <- .subset2(x, name)[shown]
    if (is.list(values)) {
      return(NULL)
    }
    measure <- measure_of_column(ans, name)
    text <- if (name == "share") percent_formatter()(values) else
      if (!is.null(measure)) figure_formatter(ans, measure, values)(values) else
      plain_formatter(values)(values)
    ifelse(is.na(values), "", paste(column_title(ans, name), text))
  })
  lines <- c(list(names), group, Filter(Negate(is.null), lines))
  lapply(seq_along(rows), function(i) {
    text <- vapply(lines, function(line) as.character(line[i]), "")
    harmless(text[nzchar(text) & !is.na(text)])
  })
}

#' Text for a group under the pointer: its first items with all their numbers, all others, and the
#' total.
#' @param rows The first row of each.
#' @noRd
group_hints <- function(x, rows) {
  setup <- answer_setup(x, 10, 1000L)
  ans <- answer_of(x)
  shown <- setup$cells[setdiff(names(setup$cells),
    c("cum_share", "mark", bar_columns(setup$cells)))]
  words <- vapply(shown, function(cell) cell$title, "")
  words <- ifelse(names(shown) %in% c("rank", "name", "value"), "", paste0(words, " "))
  texts <- Map(function(cell, word) ifelse(nzchar(cell$text), paste0(word, cell$text), ""), shown,
    words)
  lines <- gsub(" +", " ", trimws(do.call(paste, c(unname(texts), sep = "  "))))
  lapply(ans$ranked$cell[rows],
    function(cell) harmless(c(setup$groups[cell], lines[setup$rows$cell == cell])))
}

measure_of_column <- function(ans, name) {
  named <- vapply(ans$plan$measures, `[[`, "", "name")
  if (name %in% named) ans$plan$measures[[match(name, named)]]
}

# What is picked -----------------------------------------------------------

view_picked <- function(desk) {
  tags <- htmltools::tags
  facts <- picked_facts(desk)
  if (is.null(facts)) {
    return(tags$p(class = "note",
      paste("Nothing selected. Click an item in the chart or table, or drag a box around",
        "several.")))
  }
  n <- length(facts$names)
  step <- desk_step(desk)
  act <- function(how, text, by = NULL) tags$button(type = "button", `data-how` = how,
    `data-by` = by, text)
  list(
    tags$h3(if (n == 1L) harmless(facts$names) else
      sprintf("%s selected", count_of(n, picked_noun(answer_of(step_result(desk, step)$x))))),
    if (n > 1L) tags$p(class = "line",
      harmless(paste(c(utils::head(facts$names, 8L), if (n > 8L) sprintf("and %d more", n - 8L)),
        collapse = ", "))),
    if (n > 1L) tags$p(class = "line", facts$together), view_why(facts$why),
    view_course(facts$course),
    tags$div(class = "acts", if ("highlight" %in% step_fields(step$kind)) act("mark", "Mark"),
      if (!is.null(facts$condition)) list(act("only", "Only these"),
        act("without", "Without these")),
      tags$button(type = "button", class = "clear", "Clear selection")),
    if (length(facts$drill)) tags$div(class = "drill",
      tags$p(class = "label", "Drill down by"), lapply(facts$drill, function(column) {
        act("drill", harmless(column), column)
      })))
}

view_why <- function(why) {
  if (is.null(why)) {
    return(NULL)
  }
  tags <- htmltools::tags
  entries <- Map(function(group, step, text, new) {
    list(if (new && !is.na(group) && nzchar(group)) tags$dt(class = "group", harmless(group)),
      tags$dt(step), tags$dd(harmless(text)))
  }, why$group, why$step, why$text,
    c(TRUE, utils::tail(why$group, -1L) != utils::head(why$group, -1L)), USE.NAMES = FALSE)
  tags$dl(class = "why", entries)
}

view_course <- function(course) {
  if (is.null(course) || length(course$label) < 2L) {
    return(NULL)
  }
  tags <- htmltools::tags
  most <- max(course$value, 0, na.rm = TRUE)
  rows <- Map(function(label, value, text) {
    part <- if (!is.na(value) && value > 0 && most > 0) value / most else 0
    tags$tr(tags$th(scope = "row", label), tags$td(class = "right", text),
      tags$td(class = "bar", tags$span(style = sprintf("width:%.1f%%", 100 * part))))
  }, course$label, course$value, course$text, USE.NAMES = FALSE)
  tags$details(class = "course", open = NA, tags$summary(sprintf("By %s", course$unit)),
    tags$table(hidden_caption(sprintf("By %s", course$unit)), tags$tbody(rows)))
}

# The trail ----------------------------------------------------------------

view_trail <- function(desk) {
  tags <- htmltools::tags
  n <- length(desk$trail)
  line <- function(at) {
    here <- at == desk$at
    text <- harmless(step_line(desk, at))
    from <- desk_step(desk, at)$from
    tags$li(class = if (here) "here",
      tags$input(type = "checkbox", class = "chosen", value = at,
        `aria-label` = sprintf("choose step %d", at)),
      tags$button(type = "button", class = "go", `data-to` = at, `aria-current` = if (here) "step",
        tags$span(class = "number", at), text,
        if (from > 0L && from != at - 1L) tags$span(class = "from", sprintf("from step %d", from))),
      if (here) {
        tags$button(type = "button", class = "rename", `data-at` = at,
          `aria-label` = sprintf("Name step %d", at), "Name")
      } else {
        tags$button(type = "button", class = "beside", `data-to` = at,
          `aria-pressed` = if (desk$beside == at) "true" else "false",
          `aria-label` = sprintf("Compare with step %d", at), "Compare")
      })
  }
  list(tags$div(class = "back",
    tags$button(type = "button", class = "go", `data-to` = desk$at - 1L,
      disabled = if (desk$at <= 1L) NA, "Back"),
    tags$button(type = "button", class = "go", `data-to` = desk$at + 1L,
      disabled = if (desk$at >= n) NA, "Forward")),
    tags$ol(lapply(seq_len(n), line)))
}

view_beside <- function(desk) {
  if (!is_step_number(desk$beside, desk) || desk$beside == desk$at) {
    return(NULL)
  }
  tags <- htmltools::tags
  step <- desk_step(desk, desk$beside)
  result <- step_result(desk, step)
  differ <- step_differences(desk_step(desk), step)
  rows <- Map(function(field, here, there) tags$tr(tags$th(scope = "row", field),
    tags$td(harmless(here)), tags$td(harmless(there))),
    differ$field, differ$here, differ$there, USE.NAMES = FALSE)
  list(
    tags$div(class = "differs",
      tags$table(tags$caption("What differs"),
        tags$thead(tags$tr(tags$td(), tags$th(scope = "col", sprintf("Step %d", desk$at)),
          tags$th(scope = "col", sprintf("Step %d", desk$beside)))), tags$tbody(rows)),
      tags$button(type = "button", class = "beside", `data-to` = 0L, "Close comparison")),
    other = view_finding(result, answer_parts(result, step)))
}
