# Tiles in words.

tiles_finding <- function(table, ans) {
  ends <- c(which.min(table$rank), which.max(table$rank))
  if (!length(ends)) {
    return(question_text(ans$plan))
  }
  number <- said_formatter(ans)
  value <- table[[plan_measure(ans$plan)$name]][ends]
  sprintf("%s is first with %s, %s last with %s", table[[1L]][ends[1L]], number(value[1L]),
    table[[1L]][ends[2L]], number(value[2L]))
}
