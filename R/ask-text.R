# Arguments that come as text, from the command or from a page: numbers, switches and tables are
# made of it, the rest is read where all arguments are.

#' @param texts Named list of texts, and flags.
#' @param named Function of an argument's name: how messages call it.
#' @return The arguments as `ask()` takes them.
#' @noRd
asked_args <- function(command, texts, named = option_name) {
  arguments <- arguments_of(command)
  Map(function(name, argument) {
    value <- texts[[name]]
    switch(argument$type, number = number_option(value, named(name)),
      switch = if (!is.null(value)) yes_or_no(value, named(name)),
      table = table_given(value), value)
  }, names(arguments), arguments)
}

number_option <- function(x, arg) {
  if (is.null(x)) {
    return(NULL)
  }
  number <- written_numbers(x)
  if (is.na(number)) {
    stop_eggcrate("call", "option", sprintf("%s must be a number, not %s.", arg, describe(x)))
  }
  number
}

yes_or_no <- function(x, arg) check_choice(x, c("yes", "no"), arg) == "yes"
