# Tiles of one size at their places, each with its name, value, rank and share.

draw_tiles <- function(table, set, title) {
  measure <- set$question$measure$name
  value <- table[[measure]]
  tiers <- !is.null(table$tier)
  d <- data.frame(row = table$row, column = table$column, name = table[[1L]], value = value, known = !is.na(value))
  # Shades by rank: small regions are told apart as well as large ones.
  d$shade <- ifelse(d$known, 1 - (table$rank - 1) / max(1, sum(d$known) - 1), NA)
  d$tier <- if (tiers) as.character(table$tier) else NA
  ground <- if (tiers) ifelse(is.na(d$tier), "#FFFFFF", tier_colours(set$scheme)[d$tier]) else heat_colour(0.9 * d$shade)
  d$ink <- legible_on(ground)
  number <- measure_formatter(set)
  share <- if (is.null(table$share)) "" else ifelse(is.na(table$share), "", paste0(", ", percent_formatter()(table$share)))
  d$text <- ifelse(d$known, sprintf("no. %s%s%s", format_count(table$rank), share, if (tiers) paste(", tier", d$tier) else ""), "no sales")
  size <- min(5, 24 / max(diff(range(d$column)) + 1, nchar(d$name) / 4.5))
  fill <- if (tiers) {
    list(ggplot2::geom_tile(ggplot2::aes(fill = .data$tier), width = 0.94, height = 0.94, colour = palette_eggcrate[["stone"]], linewidth = 0.2),
      ggplot2::scale_fill_manual(values = tier_colours(set$scheme), limits = set$scheme$labels, na.value = "white"))
  } else {
    list(ggplot2::geom_tile(ggplot2::aes(fill = .data$shade), width = 0.94, height = 0.94, colour = palette_eggcrate[["stone"]], linewidth = 0.2),
      ggplot2::scale_fill_gradientn(colours = heat_colour(seq(0, 0.9, length.out = 64L)), limits = c(0, 1), breaks = c(0, 1),
        labels = c("last", "first"), na.value = "white",
        guide = ggplot2::guide_colourbar(barwidth = ggplot2::unit(180, "pt"), barheight = ggplot2::unit(9, "pt"))))
  }
  ggplot2::ggplot(d, ggplot2::aes(.data$column, .data$row)) + fill +
    ggplot2::geom_text(ggplot2::aes(label = .data$name), vjust = -1.1, size = size, fontface = "bold", colour = d$ink) +
    ggplot2::geom_text(ggplot2::aes(label = ifelse(.data$known, number(.data$value), "")), vjust = 0.6, size = size, colour = d$ink) +
    ggplot2::geom_text(ggplot2::aes(label = .data$text), vjust = 2.5, size = size * 0.85, colour = d$ink) +
    ggplot2::scale_y_reverse() +
    ggplot2::labs(x = NULL, y = NULL, fill = NULL, title = wrapped_title(title %||% tiles_finding(table, set)), caption = caption_text(set),
      alt = tiles_alt(table, set),
      subtitle = wrapped_notes(c(sprintf("%s of each %s, laid out as on a map.", capital(measure_words(set)), plain_words(names(table)[1L])),
        if (!tiers) "Shade: by rank."))) +
    theme_eggcrate() +
    ggplot2::theme(axis.text = ggplot2::element_blank(), panel.grid = ggplot2::element_blank(), panel.grid.major.y = ggplot2::element_blank())
}

tiles_finding <- function(table, set) {
  ends <- c(which.min(table$rank), which.max(table$rank))
  if (!length(ends)) {
    return(question_text(set$question))
  }
  number <- measure_formatter(set)
  value <- table[[set$question$measure$name]][ends]
  sprintf("%s is first with %s, %s last with %s", table[[1L]][ends[1L]], number(value[1L]), table[[1L]][ends[2L]], number(value[2L]))
}

# Each tile with its value, and with its first items where there are.
tiles_alt <- function(table, set) {
  value <- measure_formatter(set)(table[[set$question$measure$name]])
  one <- sprintf("%s %s", table[[1L]], ifelse(nzchar(value), value, "no sales"))
  if (!is.null(table$top)) one <- ifelse(is.na(table$top), one, sprintf("%s (first: %s)", one, table$top))
  sprintf("Tiles of %s in %s rows. %s.", question_text(set$question), format_count(diff(range(table$row)) + 1), paste(one, collapse = ". "))
}
