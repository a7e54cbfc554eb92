# One palette for all: figures, pages and terminals.

# Ink for text and lines, yolk for what is picked out, shell for the rest,
# duck-egg for grounds, clay for thresholds. Ink and clay on white have a contrast
# above 4.5 : 1; yolk and shell also differ in lightness, for grey print.
palette_eggcrate <- c(
  ink = "#25343A", yolk = "#DD9F17", shell = "#D8CFC0", duck_egg = "#E4F0EE", clay = "#A8452C",
  stone = "#5B6670"
)

# From dark to light, so that they can be told apart in grey and by any eye; more than
# five lie between these.
tier_palette <- unname(palette_eggcrate[c("ink", "clay", "yolk", "shell", "duck_egg")])

# Colours of up to four marks. All other items are shell.
mark_palette <- unname(palette_eggcrate[c("yolk", "clay", "ink", "duck_egg")])

#' Colours of the marks of a result, as hexadecimal digits: those of the display settings, else the
#' palette's, or `otherwise`.
#' @noRd
mark_palette_of <- function(ans, otherwise = mark_palette) {
  own <- unname(display("colours")[ans$facets$marks$name])
  set <- which(!is.na(own))
  replace(otherwise, set, grDevices::rgb(t(grDevices::col2rgb(own[set])), maxColorValue = 255))
}

# Backgrounds of cells below and above zero.
sign_grounds <- c("#F8E6E0", palette_eggcrate[["duck_egg"]])

#' Sign of each number: -1, 0 or 1.
#' @param text Numbers as they are shown.
#' @noRd
sign_of_text <- function(text) {
  text <- cli::ansi_strip(text)
  ifelse(!grepl("[1-9]", text), 0, ifelse(grepl("^[^0-9]*[-\u2212]", text), -1, 1))
}

#' Colours of tiers, by label; that of no tier last. The same in every figure.
#' @noRd
tier_colours <- function(scheme) {
  k <- length(scheme$labels)
  own <- if (k <= 5L) {
    tier_palette[list(1L, c(1L, 3L), c(1L, 3L, 4L), c(1L, 2L, 3L, 4L), 1:5)[[k]]]
  } else {
    grDevices::colorRampPalette(tier_palette, space = "Lab")(k)
  }
  colours <- with_names(own, scheme$labels)
  colours[names(scheme$colours)] <- scheme$colours
  c(colours, "(none)" = "#FFFFFF")
}

# Shades from pale to dark, by lightness alone, so that any eye can tell them apart; signed
# ones from clay over white to ink.
heat_colour <- function(shade, signed = FALSE) {
  ramp <- if (signed) {
    c(palette_eggcrate[["clay"]], "#FBF7F0", palette_eggcrate[["ink"]])
  } else {
    c("#F4EFE6", "#9FB3B0", palette_eggcrate[["ink"]])
  }
  place <- ifelse(is.na(shade), 0, if (signed) (shade + 1) / 2 else shade)
  rgb <- grDevices::colorRamp(ramp, space = "Lab")(place)
  ifelse(is.na(shade), "#FFFFFF", grDevices::rgb(rgb, maxColorValue = 255))
}

# Of cells of a grid: by shade, or by tier.
cell_fills <- function(cells, asked) {
  if (is.null(asked$scheme)) {
    return(heat_colour(cells$shade, !is.null(asked$centre)))
  }
  fill <- unname(tier_colours(asked$scheme)[cells$tier])
  replace(fill, is.na(fill), "#FFFFFF")
}

# Black or white, whichever stands out more: at least 4.5 : 1 on any ground (WCAG 2.1,
# relative luminance).
legible_on <- function(colour) {
  ifelse(luminance(colour) + 0.05 > sqrt(1.05 * 0.05), "#000000", "#FFFFFF")
}

luminance <- function(colour) {
  channel <- grDevices::col2rgb(colour) / 255
  linear <- ifelse(channel <= 0.03928, channel / 12.92, ((channel + 0.055) / 1.055)^2.4)
  as.vector(c(0.2126, 0.7152, 0.0722) %*% linear)
}
