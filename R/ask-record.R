# How an answer was asked: its command and its arguments as text, kept with it, so that it can be
# asked again elsewhere. What has no text, such as a table of the caller's, is remembered as such.

#' @param source Where it was asked, or NULL.
#' @return `command`, `args`, and `untold`, what cannot be said in text.
#' @noRd
asked_record <- function(command, args, source = NULL) {
  columns <- if (!is.null(source)) source_names(source)
  defaults <- lapply(arguments_of(command), `[[`, "default")
  args <- Filter(Negate(is.null), args[intersect(names(arguments_of(command)), names(args))])
  texts <- Map(recorded, args, names(args), list(columns))
  usual <- vapply(names(texts),
    function(name) identical(texts[[name]], defaults[[name]]) || isFALSE(texts[[name]]) &&
    grammar_arguments[[name]]$type == "flag", NA)
  told <- !vapply(texts, is.null, NA)
  # A lookup of R's is no file that a question could name.
  untold <- c(names(texts)[!told], if (inherits(source, "eggcrate_source_lookup")) "lookup")
  list(command = command, args = texts[told & !usual], untold = untold)
}

#' The same for a follow-up question: tiers of a ranking, a selection.
#' @param command The command that now says it; NULL where it stays.
#' @noRd
record_follow_up <- function(made, from, command = NULL, args = list()) {
  force(made) # an impossible request is an error there
  asked <- asked_of(from)
  if (is.null(asked)) {
    return(made)
  }
  if (!is.null(command)) {
    # Only of plain standings is the next step a command of its own.
    on_the_way <- asked$command == "tiers" && "scheme" %in% names(arguments_of(command))
    if (!asked$command %in% c("standings", command) && !on_the_way) {
      asked$untold <- c(asked$untold, sprintf("%s of %s", command, asked$command))
    }
    asked$command <- command
    # Columns added by `show` do not affect findings.
    beside <- c("also", "show", "highlight", "order_by")
    other <- setdiff(names(asked$args), names(arguments_of(command)))
    asked$untold <- c(asked$untold, setdiff(other, beside))
    asked$args[other] <- NULL
  }
  args <- Filter(Negate(is.null), args)
  texts <- Map(recorded, args, names(args))
  for (name in names(texts)) {
    before <- asked$args[[name]]
    if (is.null(texts[[name]])) {
      asked$untold <- c(asked$untold, name)
    } else if (name == "highlight") {
      asked$args[[name]] <- c(as.list(before), as.list(texts[[name]]))
    } else if (name == "only" && !is.null(before)) {
      asked$args[[name]] <- sprintf("(%s) & (%s)", before, texts[[name]])
    } else {
      asked$args[[name]] <- texts[[name]]
    }
  }
  set_asked(made, asked)
}

set_asked <- function(x, asked) {
  ans <- attr(x, "eggcrate", exact = TRUE)
  if (is.null(ans)) {
    attr(x, "asked") <- asked
  } else {
    class <- oldClass(ans)
    ans <- unclass(ans)
    ans$asked <- asked
    attr(x, "eggcrate") <- structure(ans, class = class)
  }
  x
}

asked_of <- function(x) attr(x, "asked", exact = TRUE) %||%
  unclass(attr(x, "eggcrate", exact = TRUE))$asked

# NULL for what has no text.
recorded <- function(value, name, columns = character()) {
  if (inherits(value, "eggcrate_scheme")) {
    return(scheme_text(value))
  }
  if (inherits(value, "Date")) {
    return(day_text(value))
  }
  if (is.data.frame(value) || is.function(value)) {
    return(NULL)
  }
  if (name == "target" && is.list(value)) {
    # What is no column and no word of ours is of the caller's.
    code <- value$code
    told <- is_call_to(code, earlier_words) || is.name(code) && name_text(code) %in% columns
    return(if (told) expr_text(code))
  }
  if (is.list(value)) {
    texts <- lapply(value, recorded, name)
    given <- names(value) %||% rep("", length(value))
    return(Map(function(text, name) if (nzchar(name)) paste(name, "=", text) else text, texts,
      given, USE.NAMES = FALSE))
  }
  if (is.language(value)) {
    return(expr_text(value))
  }
  if (is.atomic(value)) as.vector(value)
}
