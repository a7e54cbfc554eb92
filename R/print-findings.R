# Findings as text.

#' @rdname findings
#' @export
print.eggcrate_findings <- function(x, width = getOption("width"), ...) {
  print_lines(format(x, width = width))
  invisible(x)
}

#' @rdname findings
#' @export
format.eggcrate_findings <- function(x, width = getOption("width"), ...) {
  check_shown(width = width)
  ans <- answer_of(x)
  head <- c(bold(fold(sprintf("Findings: %s", question_text(ans$plan)), width)),
    if (!is.null(plan_text(ans$plan))) muted(fold(paste("where", cut_echo(plan_text(ans$plan))),
      width)))
  foot <- c("", muted(fold(sprintf("%s.", rows_sentence(ans$receipt)), width)))
  if (!length(x$kind)) {
    return(c(head, "", "Nothing stands out.", foot))
  }
  kinds <- align(x$kind, "left")
  if (width - nchar(kinds[1L], "width") < 32L) {
    # In a narrow window the sentence begins below its kind.
    text <- lapply(x$finding, strwrap, max(20L, width), indent = 2L, exdent = 2L)
    return(c(head, "", unlist(Map(c, x$kind, text), use.names = FALSE), foot))
  }
  lines <- Map(function(kind, text) {
    text <- strwrap(text, max(30L, width - nchar(kind, "width") - 2L))
    paste0(c(kind, rep(strrep(" ", nchar(kind, "width")), length(text) - 1L)), "  ", text)
  }, kinds, x$finding)
  c(head, "", unlist(lines, use.names = FALSE), foot)
}
