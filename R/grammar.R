# The one table of the grammar. Of every argument: its type, its choices, its default, and
# what help says of it. Of every command: its function in R, its arguments, its tables and
# its charts. Signatures, options, help, checks and errors follow it; nobody else knows a
# default or a list of names.
#
#   type       how it is read: expressions of the language (measure, keys, condition, span,
#              selection, order), choice, part, ratio, number, flag, switch (on by default), date,
#              scheme, split, names, table, target, tolerance, name
#   choices    what a choice may be
#   default    what is taken where nothing is said
#   value      what help calls a value

grammar_arguments <- list(
  of = list(type = "measure", value = "MEASURE",
    help = "what to measure, such as 'sum(net_sales)'; a column alone means its sum"),
  by = list(type = "keys", value = "COLUMN",
    help = "what to rank, such as customer or 'c(town, region)'"),
  where = list(type = "condition", value = "CONDITION",
    help = "which rows to use, such as 'category != \"Rope\" & units > 0'"),
  within = list(type = "keys", value = "COLUMN",
    help = "rank separately within each group"),
  over = list(type = "keys", value = "PERIOD",
    help = "rank separately within each period, such as 'quarter(order_date)'"),
  also = list(type = "measure", value = "MEASURE",
    help = "an additional measure, such as 'orders = distinct(order_no)'; may be repeated",
    repeated = TRUE),
  present = list(type = "choice", choices = c("rows", "value"), value = "RULE",
    help = paste("what counts as present in a period: any row (rows) or a value other than 0",
      "(value) [rows; value for two columns]")),
  show = list(type = "keys", value = "COLUMN",
    help = "additional columns of the items to show, such as region"),
  having = list(type = "condition", value = "CONDITION",
    help = paste("rank only items that meet this condition, such as 'sum(net_sales) >= 1000';",
      "shares still refer to the full total")),
  share_of = list(type = "choice", choices = c("group", "period", "all"), default = "group",
    value = "BASE",
    help = "total that shares refer to: group, period or all"),
  share_base = list(type = "choice", choices = c("net", "positive"), default = "net",
    value = "ITEMS",
    help = "base of the shares: the net total, or the total of the items above zero (positive)"),
  all_items = list(type = "table", value = "FILE",
    help = "a CSV file of items that must appear even without sales"),
  as_of = list(type = "date", value = "DATE",
    help = "the day that counts as today [the latest date in the data]"),
  date = list(type = "keys", value = "COLUMN",
    help = paste("date column that decides \"today\" and which periods are complete [the date",
      "column used elsewhere in the command]")),
  best = list(type = "choice", choices = c("highest", "lowest"), default = "highest",
    value = "WHICH",
    help = "highest or lowest: which value ranks first"),
  ties = list(type = "choice", choices = c("min", "max", "average", "dense", "first"),
    default = "min",
    value = "RULE",
    help = paste("ranks of tied items: min (1,2,2,4), max (1,3,3,4), average (1,2.5,2.5,4),",
      "dense (1,2,2,3) or first (1,2,3,4)")),
  reach = list(type = "part", default = "80%", value = "PART",
    help = "share of the total to reach, such as 80% or 0.8"),
  boundary = list(type = "choice", choices = c("reach", "within"), default = "reach",
    value = "RULE",
    help = "include (reach) or exclude (within) the item that crosses the target"),
  scheme = list(type = "scheme", value = "SCHEME",
    help = paste("how to define the tiers, such as 'tiers_by_value(c(A = 50000, B = 10000), rest",
      "= \"C\")'")),
  compare_with = list(type = "condition", value = "CONDITION",
    help = paste("rows of an earlier period, such as 'in_period(order_date, previous(year))', to",
      "show the earlier tiers")),
  against = list(type = "measure", value = "MEASURE",
    help = "the second measure, such as 'margin = sum(profit) / sum(net_sales)'"),
  split_of = list(type = "split", value = "SPLIT",
    help = paste("split of the first measure: median, mean, overall or a number [median; overall",
      "for ratios and means]")),
  split_against = list(type = "split", value = "SPLIT",
    help = "split of the second measure [as above]"),
  groups = list(type = "names", value = "NAMES",
    help = paste("names of the four quadrants, high-high first, such as 'c(\"keep\", \"mend\",",
      "\"grow\", \"leave\")'")),
  near = list(type = "part", default = "5%", value = "PART",
    help = "an item is near a split if it lies within this percentage of it"),
  potential_at = list(type = "ratio", value = "RATIO",
    help = "target ratio for the potential gain, such as 35% [the split of the second measure]"),
  from = list(type = "span", value = "PERIOD",
    help = paste("the earlier period, such as 2026-04 or 'year_ago(latest(month))' [the one",
      "before --to]; or, without --of and --over, the earlier column: 'sum(sales_2025)'")),
  to = list(type = "span", value = "PERIOD",
    help = paste("the later period, such as 2026-05, 'latest(quarter)' or 'current(month)' [the",
      "last complete one]")),
  tolerance = list(type = "tolerance", default = 0, value = "PART",
    help = paste("largest change that counts as unchanged, as a percentage of the earlier value,",
      "such as 5%")),
  lost_after = list(type = "number", value = "DAYS",
    help = "days without an order after which an item is lost [any absence]"),
  target = list(type = "target", value = "TARGET",
    help = paste("source of the targets: a file with the columns of --by and --over and one",
      "column of numbers, a column, 'previous()', 'year_ago()' or a number")),
  exceed_at = list(type = "number", default = 1, value = "NUMBER",
    help = "attainment above which a target counts as exceeded, such as 1.1"),
  incomplete = list(type = "flag", default = FALSE,
    help = "also show incomplete periods"),
  prorate = list(type = "flag", default = FALSE,
    help = "for a period that is not over, count only the target for the days elapsed"),
  across = list(type = "keys", value = "COLUMN",
    help = "columns of the grid, such as 'month(order_date)' or category"),
  shade = list(type = "choice", choices = c("rank", "value"), default = "rank", value = "RULE",
    help = "colour the cells by rank or by value"),
  along = list(type = "choice", choices = c("all", "rows", "columns"), default = "all",
    value = "SIDE",
    help = "compare each cell with all cells, with its row (rows) or with its column (columns)"),
  totals = list(type = "switch", default = TRUE, value = "WHEN",
    help = "yes or no: show the totals of rows and columns [yes]"),
  floor = list(type = "number", value = "NUMBER",
    help = "with --shade value: the value of the palest colour [the lowest]"),
  ceiling = list(type = "number", value = "NUMBER",
    help = "with --shade value: the value of the darkest colour [the highest]"),
  centre = list(type = "number", value = "NUMBER",
    help = "middle of two colours: with --shade value a value, else a percentile, such as 50%"),
  orders = list(type = "keys", value = "COLUMN",
    help = "the column of order numbers; lines of one order stay together"),
  times = list(type = "number", default = 1000, value = "NUMBER",
    help = "number of resamples"),
  level = list(type = "part", default = "90%", value = "PART",
    help = "share of the resamples within an interval"),
  seed = list(type = "number", default = 1, value = "NUMBER",
    help = "random seed; the same seed gives the same ranks"),
  top = list(type = "number", default = 10, value = "NUMBER",
    help = "number of items that count as the top"),
  item = list(type = "name", value = "NAME",
    help = "the item to explain, such as 'Varlow Boatyard'"),
  only = list(type = "selection", value = "SELECTION",
    help = paste("which items to show, such as 'top(10)' or 'bottom(3) | items(\"Rope\")'; ranks",
      "and shares stay those of all")),
  highlight = list(type = "selection", value = "SELECTION", repeated = TRUE,
    help = "which items to mark, such as 'top(3)' or 'best = top(3)'; may be repeated"),
  order_by = list(type = "order", value = "COLUMN",
    help = paste("sort rows by a column: profit for highest first, '-profit' for lowest first;",
      "ranks do not change")),
  others = list(type = "flag", default = FALSE,
    help = "with --only: add a row for all others, also in CSV and JSON"),
  at_cut = list(type = "choice", choices = c("keep", "drop", "split"), default = "keep",
    value = "RULE",
    help = "items tied at the cut-off: keep all, drop all, or split")
)

grammar_words <- c("of", "by", "where", "within", "over", "also", "show", "having")
selecting <- c("only", "highlight", "others", "at_cut", "order_by")
splitting <- c("against", "split_of", "split_against", "groups", "near", "potential_at")
grammar_rules <- c("best", "ties", "share_of", "share_base", "all_items", "as_of")
ruling <- c(grammar_rules, "date")

grammar_commands <- list(
  standings = list(
    verb = "standings", charts = c("bars", "tiles"),
    summary = "rank items, with share, running total, cumulative share and percentile",
    arguments = c(grammar_words, ruling, selecting),
    tables = c("items", "totals", "thresholds", "tiles", "receipt"),
    example = "standings orders.csv --of 'sum(net_sales)' --by customer"
  ),
  pareto = list(
    verb = "pareto", charts = c("pareto", "bars"),
    summary = "Pareto analysis: the items that account for 80% of the total",
    arguments = c(grammar_words, ruling, "reach", "boundary", selecting),
    tables = c("items", "totals", "thresholds", "receipt"),
    example = "pareto orders.csv --of 'sum(net_sales)' --by product --reach 80% --chart pareto.png"
  ),
  tiers = list(
    verb = "assign_tiers", steps = c("standings", "assign_tiers"),
    charts = c("tiers", "tier_table", "bars", "tiles"),
    summary = "group items into tiers, with the amount to the next tier",
    arguments = c(grammar_words, ruling, "scheme", "compare_with", selecting),
    tables = c("items", "totals", "thresholds", "tiers", "tiles", "receipt"),
    defaults = list(scheme = "tiers_by_share(c(A = \"80%\", B = \"95%\"), rest = \"C\")"),
    example = paste("tiers orders.csv --of 'sum(net_sales)' --by customer --scheme",
      "'tiers_by_rank(c(A = 10, B = 50), rest = \"C\")'")
  ),
  quadrants = list(
    verb = "quadrants", charts = c("quadrants", "bars", "pareto"),
    summary = "group items into quadrants by two measures, such as sales and margin",
    arguments = c(grammar_words, ruling, splitting, selecting),
    tables = c("items", "totals", "thresholds", "quadrants", "receipt"),
    example = paste("quadrants orders.csv --of 'sum(net_sales)' --against 'margin = sum(profit) /",
      "sum(net_sales)' --by customer --chart quadrants.png")
  )
)

grammar_commands$changes <- list(
  verb = "compare_periods", charts = c("changes", "bridge"),
  summary = "compare two periods: new, up, down and lost items, and the bridge between the totals",
  arguments = c("of", "by", "over", "where", "within", "also", "show", "from", "to", "tolerance",
    "lost_after", "present", "best", "ties", "as_of", "date", selecting),
  tables = c("items", "totals", "classes", "bridge", "receipt"),
  example = paste("changes orders.csv --of 'sum(net_sales)' --by customer --over",
    "'month(order_date)' --chart changes.png")
)

grammar_commands$targets <- list(
  verb = "against_target", charts = c("targets", "bars"),
  summary = "compare sales with targets: gap, attainment, pace and status",
  arguments = c("of", "by", "target", "over", "where", "within", "show", "exceed_at", "incomplete",
    "prorate", "best", "ties", "as_of", "date", selecting),
  tables = c("items", "totals", "statuses", "receipt"),
  example = paste("targets orders.csv --of 'sum(net_sales)' --by region --over",
    "'month(order_date)' --target 'previous()' --where 'in_period(order_date, latest(month))'")
)

grammar_commands$extremes <- list(
  verb = "extremes", steps = c("standings", "extremes"), charts = "extremes",
  summary = "the best and the worst of each group and period, with their shares",
  arguments = c(grammar_words, ruling), tables = c("items", "totals", "receipt"),
  example =
  "extremes orders.csv --of 'sum(net_sales)' --by salesperson --over 'quarter(order_date)'"
)

grammar_commands$grid <- list(
  verb = "heat_grid", charts = "heat",
  summary = "heat grid: rows by columns, cells coloured by rank or value",
  arguments = c("of", "by", "across", "where", "within", "shade", "along", "scheme", "floor",
    "target",
    "ceiling", "centre", "totals", "only", "highlight", "at_cut", "best", "as_of", "date"),
  tables = c("items", "totals", "receipt"), types = list(target = "number"),
  help = list(by = "rows of the grid, such as region",
    within = "groups of rows; cells are compared within each",
    scheme = "colour the cells by tier instead, such as 'tiers_equal(3)'",
    only = "rows to show, such as 'top(5)'; colours and totals stay those of all",
    highlight = "rows to mark, such as 'best = top(3)'; may be repeated",
    target = "with --shade value: the value of the middle colour [halfway]",
    best = "highest or lowest: which values are darkest"),
  example = paste("grid orders.csv --of 'sum(net_sales)' --by region --across",
    "'quarter(order_date)' --along rows --chart grid.png")
)

grammar_commands$movement <- list(
  verb = "movement", charts = c("movement", "ranks", "transitions"),
  summary = "follow rank and tier of each item through the periods",
  arguments = c("of", "by", "over", "where", "within", "scheme", "from", "to", "only", "at_cut",
    "best",
    "ties", "as_of", "date"),
  tables = c("items", "totals", "transitions", "receipt"),
  types = list(from = "label", to = "label"), defaults = list(scheme = "tiers_equal(4)"),
  help = list(over = "the periods to follow, such as 'quarter(order_date)'",
    only = "which items to show, such as 'top(10)' of the last complete period",
    from = "a period to compare with --to, such as 2026-Q1 [the second last complete one]",
    to = "the later of two periods [the last complete one]",
    scheme = "how to define the tiers of each period"),
  example = paste("movement orders.csv --of 'sum(net_sales)' --by customer --over",
    "'quarter(order_date)' --scheme 'tiers_equal(3)' --chart movement.png")
)

grammar_commands$concentration <- list(
  verb = "concentration", steps = c("standings", "concentration"), charts = "concentration",
  summary =
  "concentration: Gini, Herfindahl, number of items that account for 50, 80 and 95%",
  arguments = c(grammar_words, ruling, "compare_with"), tables = c("items", "receipt"),
  help = list(
    compare_with = paste("rows of an earlier period to compare with, such as",
      "'in_period(order_date, year_ago(year_to_date))'")),
  example = "concentration orders.csv --of 'sum(net_sales)' --by customer --within region"
)

grammar_commands$findings <- list(
  verb = "findings", steps = c("standings", "assign_tiers", "findings"),
  summary = paste("what stands out, in sentences: concentration, big items with low margin,",
    "changes at the top, unusual periods"),
  arguments = c("of", "by", "where", "over", "against", "scheme", "top", "best", "ties", "as_of",
    "date"),
  help = list(over = "periods to compare, such as 'quarter(order_date)'",
    scheme = "tiers whose cut-offs are examined, such as 'tiers_by_rank(c(A = 10, B = 50))'"),
  example = paste("findings orders.csv --of 'sum(net_sales)' --by customer --over",
    "'quarter(order_date)' --against 'margin = sum(profit) / sum(net_sales)'")
)

grammar_commands$intervals <- list(
  verb = "rank_intervals", steps = c("standings", "rank_intervals"), charts = "bars",
  summary = "bootstrap intervals for each rank",
  arguments = c(grammar_words, ruling, "orders", "times", "level", "seed", selecting),
  tables = c("items", "totals", "receipt"),
  example =
  paste("intervals orders.csv --of 'sum(net_sales)' --by customer --orders order_no --chart",
    "intervals.png")
)

grammar_commands$why <- list(
  verb = "why", steps = c("standings", "assign_tiers", "why"),
  summary = "explain the rank and tier of one item, and the amount to the next ones",
  arguments = c(grammar_words, ruling, "scheme", "item"),
  example = "why orders.csv --of 'sum(net_sales)' --by customer --item 'Varlow Boatyard'"
)

# Commands that ask no question.
other_commands <- list(
  check = list(
    summary = paste("look through a file: columns, types, ranges, odd cells, near-duplicate",
      "names; or a study"),
    example = "check orders.csv"),
  study = list(
    summary = "begin a study of a file, with the questions that its columns suggest",
    example = "study orders.csv --out review.toml"),
  run = list(
    summary = "run a study: write a page, a workbook, tables and charts",
    example = "run review.toml --out review"),
  desk = list(
    summary = "explore the data interactively in the browser, and export the results",
    example = "desk orders.csv"),
  demo = list(summary = "write the demo orders, and a study of them, into a folder",
    example = "demo --out FOLDER"),
  completion = list(summary = paste("what bash, zsh or fish needs to complete commands, options",
    "and columns"),
    example = "completion bash")
)

# Commands whose answers are tables of items, and can be drawn.
charting <- names(Filter(function(command) !is.null(command$tables), grammar_commands))

# How files are read: options of the command, and keys of [source] in a study.
reading_names <- c("encoding", "separator", "decimal", "dates", "sheet", "twice")

# What only the command has: how to read the file and where the answer goes.
shell_arguments <- c(display_options(), list(
  ranks = list(help = "draw the ranks of some items as lines instead of tiers",
    commands = "movement"),
  figures = list(value = "WHEN",
    help = "yes or no: show the numbers in the grid [if they fit]",
    commands = "grid"),
  all = list(help = "print all items, not only the first ten"),
  format = list(value = "FORM",
    help = "table, csv, json or html; csv and json have all rows and columns [table]"),
  table = list(value = "NAME", help = "table to print or to write as CSV: %s [items]",
    commands = charting),
  shares = list(value = "SHARES",
    help = "with --table thresholds: shares of the total, such as '5%,10%,50%' [50%,80%,95%]",
    commands = names(Filter(function(command) "thresholds" %in% command$tables, grammar_commands))),
  out = list(value = "FILE",
    help = "write the result to a file; its ending .csv, .json, .html or .xlsx sets the format"),
  chart = list(value = "FILE",
    help = "draw the result, or the chosen table, into a .png, .svg or .pdf file",
    commands = charting),
  draw = list(value = "NAME",
    help = "chart to draw: %s [the default chart, or that of the table]", commands = charting),
  title = list(value = "TEXT", help = "title of the chart [the finding]",
    commands = charting),
  subtitle = list(value = "TEXT", help = "line below the title [how to read the chart]",
    commands = charting),
  items = list(value = "NUMBER",
    help = "number of items in the chart [20; with --only or --all up to 60]",
    commands = c("standings", "pareto", "tiers", "changes", "targets")),
  width = list(value = "PIXELS", help = "width of the chart [1280]", commands = charting),
  height = list(value = "PIXELS", help = "height of the chart [800; taller for more than 20 items]",
    commands = charting),
  font = list(value = "NAME",
    help = "font of the chart [Inter, if installed]",
    commands = charting),
  dpi = list(value = "N", help = "pixels per inch; text grows with it [110]",
    commands = charting),
  layout = list(value = "FILE",
    help = "a file with a row and a column for each region: draw the regions as tiles",
    commands = c("standings", "tiers")),
  shade = list(value = "MEASURE",
    help = "with --layout: name of the measure that colours the tiles [rank, or tier]",
    commands = c("standings", "tiers")),
  centre = list(value = "NUMBER", help = "with --layout and --shade: the value without a colour",
    commands = c("standings", "tiers")),
  size = list(value = "MEASURE",
    help = "name of an additional measure that sets the size of the points in the chart",
    commands = "quadrants"),
  overwrite = list(help = "replace files that exist"),
  add_to = list(value = "FILE",
    help = "add this question to a study, a .toml file; creates the file if it does not exist"),
  part = list(value = "NAME",
    help = "with --add-to: name of the section [the command and the items]"),
  lookup = list(value = "FILE", repeated = TRUE, commands = names(grammar_commands),
    help = paste("a second file that adds columns by a key, such as customers.csv, or",
      "'customers.csv: customer = id'; may be repeated")),
  encoding = list(value = "NAME", help = "encoding of the file: UTF-8 or latin1 [UTF-8]"),
  separator = list(value = "CHARACTER",
    help = "separator of the fields [the most common one in the header]"),
  decimal = list(value = "MARK",
    help = "decimal mark of amounts, . or , if the file does not settle it"),
  dates = list(value = "ORDER",
    help = "order of dates such as 03/04/2026: dmy, mdy or ymd, if the file does not settle it"),
  twice = list(value = "RULE",
    help = "what to do with duplicate files: count or refuse [count; refuse in studies]"),
  sheet = list(value = "NAME", help = "sheet of a workbook, by name or number [the first]"),
  show_sql = list(help = "print the SQL that is sent to the database",
    commands = charting),
  port = list(value = "NUMBER", help = "port of the desk [a free one]",
    commands = "desk"),
  no_browser = list(help = "print the address of the desk and open no browser", commands = "desk"),
  help = list(help = "show this help")
))

# Help sections, and the options listed in each.
help_groups <- list(
  "The question" = c("of", "by", "where", "within", "over", "across", "also", "against", "having",
    "from", "to",
    "target", "scheme", "compare_with", "orders", "item", "all_items", "as_of", "date"),
  "Rules" = c("best", "ties", "share_of", "share_base", "reach", "boundary", "split_of",
    "split_against", "groups", "near", "potential_at",
    "tolerance", "lost_after", "present", "exceed_at", "incomplete", "prorate", "shade", "along",
    "floor", "ceiling",
    "centre", "times", "level", "seed", "at_cut"),
  "What to show" = c("only", "highlight", "others", "order_by", "show", "top", "all", "totals",
    "table", "shares", "ranks", "figures",
    "layout", "size", names(display_options())),
  "Reading the rows" = c("lookup", reading_names, "show_sql"),
  "Writing the answer" = c("format", "out", "chart", "draw", "title", "subtitle", "items", "width",
    "height", "font", "dpi", "overwrite",
    "add_to", "part", "port", "no_browser", "help")
)

# Reading the table --------------------------------------------------------

# An argument's entry for one command: the general entry, with the command's overrides.
argument_of <- function(command, name) {
  own <- grammar_commands[[command]]
  argument <- grammar_arguments[[name]]
  argument$type <- own$types[[name]] %||% argument$type
  argument$help <- own$help[[name]] %||% argument$help
  argument$default <- if (name %in% names(own$defaults)) own$defaults[[name]] else argument$default
  argument
}

# Help of an argument, with the default behind it.
help_of <- function(argument) {
  default <- argument$default
  if (is.null(default) || is.logical(default)) argument$help else {
    sprintf("%s [%s]", argument$help, default)
  }
}

arguments_of <- function(command) {
  names <- grammar_commands[[command]]$arguments
  lapply(with_names(names, names), argument_of, command = command)
}

# Types of which a value is an expression of the language.
expression_types <- c("measure", "keys", "condition", "span", "selection")

default_rules <- function() {
  lapply(with_names(grammar_rules, grammar_rules), function(name) grammar_arguments[[name]]$default)
}

# An argument as an option of the command.
option_name <- function(name) paste0("--", gsub("_", "-", name))
