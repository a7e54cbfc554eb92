# Movement in letters: a line for each item with its tier in each period, who climbed and
# who fell, and the table of transitions.

movement_lines <- function(set, n, width) {
  head <- c(bold(fold(movement_finding(set), width)),
    if (!is.null(set$question$where)) muted(fold(paste0("where ", set$question$where), width)), "")
  foot <- muted(
    unlist(lapply(c(sprintf("%s.", rows_sentence(set$receipt)), movement_notes(set)), fold,
      width = width)))
  if (!nrow(set$movement$row)) {
    return(c(head, "Nothing is left: no row passes the filter with a value.", "", foot))
  }
  pair <- pair_or_none(set)
  c(head, tier_lines(set, n, width), "", fold(present_words(set), width),
    if (!is.null(pair)) c(climb_lines(set, pair, width), "", transition_lines(set, pair)), "", foot)
}

# The last two complete periods, where there are two.
pair_or_none <- function(set) {
  if (nrow(set$movement$row)) tryCatch(movement_pair(set), eggcrate_error_period = function(e) NULL)
}

# How many items each of the last periods has.
present_words <- function(set, most = 8L) {
  counts <- utils::tail(colSums(!is.na(set$movement$row)), most)
  labels <- utils::tail(period_names(set), most)
  sprintf("%s in each %s: %s.", capital(plural(item_noun(set$question))), names(set$question$over),
    paste(sprintf("%s in %s", format_count(counts), labels), collapse = ", "))
}

# One letter for each tier: the first of its label where these differ, else its number.
tier_letters <- function(set) {
  labels <- set$scheme$labels
  first <- substr(labels, 1L, 1L)
  letters <- if (anyDuplicated(first)) as.character(seq_along(labels)) else first
  with_names(c(letters, "?", symbol(".", "\u00b7")), c(labels, "(none)", absent))
}

tier_lines <- function(set, n, width) {
  moved <- set$movement
  rows <- seq_len(min(n, nrow(moved$row)))
  names <- align(cut_text(movement_names(set, rows), 24L), "left")
  room <- max(40L, width) - nchar(names[1L], "width") - 1L
  labels <- period_names(set)
  # Under whole names where all have room, else side by side under some.
  wide <- max(nchar(labels, "width")) + 2L
  if (wide * length(labels) > room) wide <- 2L
  shown <- utils::tail(seq_along(labels), room %/% wide)
  letters <- tier_letters(set)
  cells <- vapply(shown, function(period) {
    align(letters[as.character(movement_tiers(set, period)[rows])], "left", wide)
  }, character(length(rows)))
  lines <- trimws(paste(names, apply(matrix(cells, length(rows)), 1L, paste, collapse = "")),
    "right")
  pad <- strrep(" ", nchar(names[1L], "width") + 1L)
  heads <- if (wide > 2L) {
    paste(align(labels, "left", wide), collapse = "")
  } else {
    spread_names(moved$labels[shown])
  }
  hidden <- c(nrow(moved$row) - length(rows), length(moved$labels) - length(shown))
  c(muted(paste0(pad, trimws(heads, "right"))), lines,
    muted(c(paste0(tier_legend(set, letters), "."),
      not_shown(hidden[1L], item_noun(set$question)),
      if (hidden[2L] > 0L) {
        sprintf("%s before not shown.", count_of(hidden[2L], names(set$question$over)))
      })))
}

# "Tiers A, B, C; . absent"; where a letter is not the label, "1 top, 2 middle".
tier_legend <- function(set, letters) {
  shown <- setdiff(names(letters), c(absent, if (!anyNA(set$tier_number)) "(none)"))
  sprintf("Tiers %s; %s absent",
    paste(ifelse(letters[shown] == shown, shown, paste(letters[shown], shown)), collapse = ", "),
    letters[[absent]])
}

movement_names <- function(set, items) {
  item_names(set, set$order[there(set$movement$row[items, , drop = FALSE])])
}

climb_lines <- function(set, pair, width) {
  climbs <- movement_climbs(set, pair, 3L)
  words <- function(side) {
    if (!length(side$item)) return("none")
    paste(sprintf("%s (%s to %s)", movement_names(set, side$item), format_count(side$from),
      format_count(side$to)), collapse = ", ")
  }
  lines <- sprintf(c("Climbers, %s to %s: %s.", "Fallers, %s to %s: %s."),
    set$movement$labels[pair[1L]], set$movement$labels[pair[2L]],
    c(words(climbs$climbers), words(climbs$fallers)))
  unlist(lapply(lines, fold, width = width))
}

# Rows are the tiers before, columns those after.
transition_table <- function(set, pair) {
  table <- transition_counts(set, pair)
  labels <- levels(table$from)
  counts <- matrix(table$items, length(labels), byrow = TRUE, dimnames = list(labels, labels))
  used <- rowSums(counts) + colSums(counts) > 0
  counts[used, used, drop = FALSE]
}

with_margins <- function(counts) {
  rbind(cbind(counts, total = rowSums(counts)), total = c(colSums(counts), sum(counts)))
}

transition_lines <- function(set, pair) {
  cells <- with_margins(transition_table(set, pair))
  labels <- set$movement$labels[pair]
  columns <- lapply(seq_len(ncol(cells)),
    function(i) align(c(colnames(cells)[i], format_count(cells[, i])), "right"))
  lines <- do.call(paste,
    c(list(align(c(sprintf("%s \\ %s", labels[1L], labels[2L]), rownames(cells)), "left")), columns,
      list(sep = "  ")))
  c(muted(lines[1L]), lines[-1L])
}

movement_notes <- function(set) {
  open <- set$movement$labels[!set$movement$complete]
  c(if (length(open)) sprintf("* Not complete, and in no transition: %s.", enumerate(open)),
    sprintf("%s.", capital(scheme_title(set$scheme))))
}

#' "From 2025-Q4 to 2026-Q1 31 of 241 customers rose a tier or more, 22 fell, 50 came, 23
#' went".
#' @noRd
movement_finding <- function(set) {
  pair <- pair_or_none(set)
  if (is.null(pair)) {
    return(question_text(set$question))
  }
  table <- transition_counts(set, pair)
  tiers <- set$scheme$labels
  both <- table$from %in% tiers & table$to %in% tiers
  count <- function(at) format_count(sum(table$items[at]))
  sprintf("From %s to %s %s rose a tier or more, %s fell, %s came and %s went",
    set$movement$labels[pair[1L]], set$movement$labels[pair[2L]],
    paste(count(both & as.integer(table$to) < as.integer(table$from)), "of",
      count_of(sum(table$items), item_noun(set$question))),
    count(both & as.integer(table$to) > as.integer(table$from)),
    count(table$from == absent & table$to != absent),
    count(table$from != absent & table$to == absent))
}
