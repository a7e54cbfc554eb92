# Words and small things that every layer uses.

tick <- function(x) if (length(x)) paste0("`", x, "`") else character()
quoted <- function(x) if (length(x)) paste0("\"", x, "\"") else character()

enumerate <- function(x, last = "and", most = 12L, n = length(x)) {
  if (n > most) {
    x <- c(x[seq_len(most)], sprintf("%s more", count_text(n - most)))
    n <- length(x)
  }
  if (n < 2L) {
    return(paste(x, collapse = ""))
  }
  paste(paste(x[-n], collapse = ", "), last, x[n])
}

describe <- function(x) {
  if (is.null(x)) {
    "NULL"
  } else if (is.character(x) && length(x) == 1L) {
    quoted(x)
  } else if (is.atomic(x) && length(x) == 1L) {
    sprintf("%s", format(x))
  } else if (is.atomic(x)) {
    sprintf("a vector of %d values", length(x))
  } else {
    sprintf("an object of class %s", class(x)[1L])
  }
}

# At the head of a sentence; an expression stays as it is.
capital <- function(x) {
  ifelse(!grepl("[(_]", x), paste0(toupper(substr(x, 1L, 1L)), substring(x, 2L)), x)
}

# New names of what earlier versions called otherwise.
renamed <- c(firmness = "intervals", keep = "add_to", language = "locale", level = "unchanged",
  make = "shares", spare = "above_cutoff",
  worth = "potential", worth_at = "potential_at", "not yet" = "open", "left out" = "excluded")

# Names that differ in at most a third of their characters, or have the same characters in another
# order, nearest first. For a name of an earlier version, the new name.
close_names <- function(x, known, most = 3L) {
  known <- unique(known[nzchar(known)])
  if (!length(known) || length(x) != 1L || is.na(x) || !nzchar(x)) {
    return(character())
  }
  plain <- function(name) gsub("-", "_", sub("^--", "", name), fixed = TRUE)
  now <- known[plain(known) %in% renamed[plain(x)]]
  if (length(now)) {
    return(now)
  }
  far <- utils::adist(tolower(x), tolower(known))[1L, ]
  starts <- startsWith(tolower(known), tolower(x)) & nchar(x) >= 3L
  letters_of <- function(x) vapply(strsplit(tolower(x), ""),
    function(s) paste(sort(s), collapse = ""), "")
  near <- far <= pmax(1, floor(nchar(known) / 3)) | starts | letters_of(known) == letters_of(x)
  utils::head(known[near][order(far[near])], most)
}

# Control characters, escape sequences and marks of direction, which would act instead of being
# read, as they are written in code. `keep` are those that may act.
harmless <- function(x, keep = "") {
  if (is.factor(x)) x <- as.character(x)
  if (!is.character(x)) {
    return(x)
  }
  acting <- "[\u0001-\u001f\u007f-\u009f\u200e\u200f\u2028-\u202e\u2066-\u2069]"
  odd <- which(!is.na(x) & grepl(acting, x, perl = TRUE))
  x[odd] <- vapply(strsplit(enc2utf8(x[odd]), ""), function(letters) {
    acts <- grepl(acting, letters, perl = TRUE) & !letters %in% keep
    letters[acts] <- vapply(letters[acts], written_letter, "")
    paste(letters, collapse = "")
  }, "")
  x
}

written_letter <- function(letter) {
  switch(letter, "\n" = "\\n", "\t" = "\\t", "\r" = "\\r", sprintf("\\u%04x", utf8ToInt(letter)))
}

# What is echoed of a long text.
cut_echo <- function(x, most = 240L) {
  long <- !is.na(x) & nchar(x, "chars", TRUE) > most
  x[long] <- paste(substr(x[long], 1L, most - 40L), "...", substring(x[long], nchar(x[long]) - 30L))
  x
}

# How messages and receipts write a count: the same whatever is set for what is shown.
count_text <- function(n) {
  formatC(as.numeric(n), format = "f", digits = 0L, big.mark = ",", decimal.mark = ".")
}

# All digits of a double, no more.
# Runs code and restores the caller's random number state.
keeping_seed <- function(code) {
  before <- get0(".Random.seed", globalenv(), inherits = FALSE)
  on.exit(if (is.null(before)) {
    suppressWarnings(rm(".Random.seed", envir = globalenv()))
  } else {
    assign(".Random.seed", before, globalenv())
  })
  code
}

number_text <- function(x) number_texts_(as.numeric(x))

with_names <- function(x, names) {
  names(x) <- names
  x
}

`%||%` <- function(x, y) if (is.null(x)) y else x

# A number that is a key reads as it does in a cell; whole ones have no decimals.
written_text <- function(x) {
  out <- if (inherits(x, "Date")) {
    format(x)
  } else if (is.numeric(x)) {
    number_text(x)
  } else {
    as.character(x)
  }
  out[is.na(x)] <- NA_character_
  out
}

# `net_sales` reads "net sales"; an expression stays as it is.
spaced_words <- function(name) {
  if (grepl("^[[:alnum:]_. ]+$", name)) gsub("_", " ", name, fixed = TRUE) else name
}

# "3 sheets".
counted <- function(n, noun) paste(count_text(n), if (n == 1) noun else plural(noun))

# The plural of a column's name, by the rules that hold for most English nouns.
plural <- function(noun) {
  if (grepl("[^ ] of ", noun)) {
    head <- sub(" of .*$", "", noun)
    return(paste0(plural(head), substring(noun, nchar(head) + 1L)))
  }
  if (grepl("(s|x|z|ch|sh)$", noun)) {
    if (grepl("s$", noun) && !grepl("ss$", noun)) noun else paste0(noun, "es")
  } else if (grepl("[^aeiou]y$", noun)) {
    sub("y$", "ies", noun)
  } else if (grepl("person$", noun)) {
    sub("person$", "people", noun)
  } else {
    paste0(noun, "s")
  }
}

# Reckons with all text in UTF-8, whatever the session's locale is.
in_utf8 <- function(expr) {
  if (!l10n_info()[["UTF-8"]]) {
    before <- Sys.getlocale("LC_CTYPE")
    on.exit(Sys.setlocale("LC_CTYPE", before))
    for (name in c("C.UTF-8", "en_US.UTF-8", "UTF-8")) {
      if (nzchar(suppressWarnings(Sys.setlocale("LC_CTYPE", name)))) break
    }
  }
  expr
}

# Sorted by the bytes of the names, in any locale.
in_letter_order <- function(expr) {
  before <- Sys.getlocale("LC_COLLATE")
  on.exit(Sys.setlocale("LC_COLLATE", before))
  Sys.setlocale("LC_COLLATE", "C")
  expr
}

# `lines` are made when UTF-8 is set, and go out as they are.
print_lines <- function(lines) in_utf8(writeLines(enc2utf8(lines), useBytes = TRUE))

# A name as the language takes it: in backticks where it is no plain one.
tick_odd <- function(x) ifelse(x == make.names(x), x, tick(x))

# Text as it is written in R and in the language.
text_literal <- function(x) encodeString(x, quote = "\"")

# With a capital first letter and a full stop.
sentence <- function(x) paste0(toupper(substr(x, 1L, 1L)), substring(x, 2L),
  if (!grepl("[.!?]$", x)) ".")
