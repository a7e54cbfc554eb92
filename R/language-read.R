# Reading: an expression from what a caller gave, and how it reads.

# An expression from an argument: code, or text.
read_expression <- function(x, arg, call = NULL) {
  if (!is.character(x)) {
    check_depth(x, arg, call)
    return(x)
  }
  if (length(x) != 1L || is.na(x) || !nzchar(trimws(x))) {
    stop_expression(sprintf("%s must be one expression, not %s.", said(arg), describe(x)),
      call = call)
  }
  found <- tryCatch(str2expression(escaped_bidi(quoted_percents(enc2utf8(x)))),
    error = function(e) {
      stop_expression(sprintf("%s cannot be read: %s.", said(arg), syntax_complaint(e)), x,
        syntax_hint(x), call)
    })
  if (length(found) != 1L) {
    stop_expression(sprintf("%s must be one expression, not %d.", said(arg), length(found)), x,
      call = call)
  }
  expr <- found[[1L]]
  check_depth(expr, arg, call)
  if (is.call(expr)) attr(expr, "typed") <- enc2utf8(trimws(x))
  expr
}

# An argument by its name, or what is meant by no argument's name.
said <- function(arg) if (grepl(" ", arg)) capital(arg) else tick(arg)

# R's parser rejects bidi formatting characters, also within quotes. It accepts them as escapes.
escaped_bidi <- function(text) {
  found <- gregexpr("[\u202a-\u202e\u2066-\u2069]", text)
  regmatches(text, found) <- lapply(regmatches(text, found),
    function(marks) sprintf("\\u%04x", vapply(marks, utf8ToInt, 1L)))
  text
}

# In text a percentage may stand bare: `top(10%)` is `top("10%")`. Not within quotes, where
# anything may stand, and not before `%in%`.
quoted_percents <- function(text) {
  if (!grepl("[0-9]%", text)) {
    return(text)
  }
  apart <- gregexpr("\"[^\"]*\"|'[^']*'|`[^`]*`", text)
  outside <- regmatches(text, apart, invert = TRUE)
  outside[[1L]] <- gsub("(?<![[:alnum:]_.])([0-9.]+)%(?![[:alpha:]]*%)", "\"\\1%\"", outside[[1L]],
    perl = TRUE)
  regmatches(text, apart, invert = TRUE) <- outside
  text
}

syntax_hint <- function(text) {
  shape <- "^ *(top|bottom|reaching) +([0-9.]+%?) *$"
  if (grepl(shape, text)) {
    sprintf("Write `%s`.", sub(shape, "\\1(\\2)", text))
  } else if (grepl("[[:alpha:]] +[[:alpha:]]", text)) {
    "A name with spaces is in backticks: `` `Net sales` ``."
  }
}

# Levels of an expression; what looks into it goes down as far.
most_levels <- 100L

# Level by level, for going down is what must not happen to one that is too deep.
check_depth <- function(expr, arg, call = NULL) {
  level <- list(expr)
  for (depth in seq_len(most_levels)) {
    level <- unlist(lapply(Filter(is.call, level), as.list), recursive = FALSE)
    if (!length(level)) {
      return(invisible())
    }
  }
  stop_expression(sprintf("%s is too deep: more than %d levels, one inside the other.", said(arg),
    most_levels), hint = "A chain of `|` is shorter as `column %in% c(...)`.", call = call)
}

syntax_complaint <- function(e) {
  line <- strsplit(conditionMessage(e), "\n", fixed = TRUE)[[1L]][1L]
  if (grepl("contextstack", line)) {
    return("it has more than 50 nested brackets")
  }
  line <- sub("^<text>:[0-9]+:0: unexpected end of input$", "it ends too early", line)
  gsub("<text>:[0-9]+:([0-9]+): ", "at character \\1, ", line)
}

# `margin = sum(profit) / sum(net_sales)` in text is a named expression.
split_name <- function(expr) {
  if (is_call_to(expr, "=") && length(expr) == 3L && is.name(expr[[2L]])) {
    return(list(name = name_text(expr[[2L]]), expr = expr[[3L]]))
  }
  if (is_call_to(expr, "c") && length(expr) == 2L && !is.null(names(expr)) &&
    nzchar(names(expr)[2L])) {
    return(list(name = names(expr)[2L], expr = expr[[2L]]))
  }
  list(name = NULL, expr = expr)
}

# As it was typed, if it came as text.
expr_text <- function(expr) {
  attr(expr, "typed") %||%
    enc2utf8(paste(trimws(deparse(expr, width.cutoff = 500L)), collapse = " "))
}

name_text <- function(name) enc2utf8(as.character(name))

is_call_to <- function(expr, name) {
  is.call(expr) && is.name(expr[[1L]]) && as.character(expr[[1L]]) %in% name
}

called <- function(expr, place, known, call = NULL) {
  if (!is.name(expr[[1L]])) {
    stop_expression(sprintf("Only functions of the language can be called in %s.", place),
      expr_text(expr), call = call)
  }
  name <- as.character(expr[[1L]])
  if (!name %in% known) {
    stop_unknown_function(name, expr_text(expr), setdiff(known, "("), place, call = call)
  }
  name
}

# Percentages --------------------------------------------------------------

# "15%" as 0.15; any other value unchanged.
percent_as_number <- function(x) {
  percent <- is.character(x) && length(x) == 1L &&
    grepl("^ *-?([0-9]+[.]?[0-9]*|[.][0-9]+) *% *$", x)
  if (percent) written_numbers(x) else x
}

# Converts text to numbers: "12" or "30%". Other text gives NA.
written_numbers <- function(text) {
  percent <- grepl("%[[:space:]]*$", text)
  suppressWarnings(as.numeric(sub("[[:space:]]*%[[:space:]]*$", "", text))) / ifelse(percent, 100,
    1)
}

# Parts of a whole ---------------------------------------------------------

# `0.8` or "80%" as a decimal: list(value, digits, places, text).
read_part <- function(x, arg, call = NULL) {
  if (is.list(x) && identical(names(x), c("value", "digits", "places", "text"))) {
    return(x) # read already
  }
  bad <- function(hint) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`%s` must be a part of the whole, such as 0.8 or \"80%%\", not %s.", arg,
        describe(x)),
      i = hint, fields = list(arg = arg, value = x), call = call)
  }
  if (!(is.numeric(x) || is.character(x)) || length(x) != 1L || is.na(x)) bad(NULL)
  text <- trimws(as.character(x))
  percent <- is.character(x) && grepl("%$", text)
  number <- suppressWarnings(as.numeric(sub("[[:space:]]*%$", "", text)))
  if (is.na(number) || number < 0) bad(NULL)
  if (!percent && number > 1) bad(sprintf("Did you mean \"%s%%\"?", text))
  if (percent && number > 100) bad("100% is everything.")
  value <- if (percent) number / 100 else number
  if (value == 0) bad("It must be above 0.")
  decimals <- decimal_places_(number)
  if (is.na(decimals)) decimals <- 12L # such as 1/3: as near as it matters
  list(
    value = value, digits = round(number * 10^decimals), places = decimals + 2L * percent,
    text = paste0(format(value * 100, digits = 12L), "%")
  )
}
