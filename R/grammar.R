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
    help = "groups in each of which the ranking starts again"),
  over = list(type = "keys", value = "PERIOD",
    help = "periods in each of which the ranking starts again, such as 'quarter(order_date)'"),
  also = list(type = "measure", value = "MEASURE",
    help = "a further measure, such as 'orders = distinct(order_no)'; may be repeated",
    repeated = TRUE),
  present = list(type = "choice", choices = c("rows", "value"), value = "RULE",
    help = paste("when an item is there in a period: with rows, or with a value other than 0",
        "[rows; value for two columns]")),
  show = list(type = "keys", value = "COLUMN",
    help = "columns to show beside the item"),
  having = list(type = "condition", value = "CONDITION",
    help = "which items to rank, such as 'sum(net_sales) >= 1000'; shares stay those of all"),
  share_of = list(type = "choice", choices = c("group", "period", "all"), default = "group",
    value = "BASE",
    help = "what shares are of: group, period or all"),
  share_base = list(type = "choice", choices = c("net", "positive"), default = "net",
    value = "ITEMS",
    help = "net, or positive for shares of the items above zero only"),
  all_items = list(type = "table", value = "FILE",
    help = "a CSV file of items that must appear even without sales"),
  as_of = list(type = "date", value = "DATE",
    help = "the day that counts as today [the latest date in the data]"),
  date = list(type = "keys", value = "COLUMN",
    help = paste("the date of the rows, which as-of and what is complete go by [the date that the",
        "question uses]")),
  best = list(type = "choice", choices = c("highest", "lowest"), default = "highest",
    value = "WHICH",
    help = "highest or lowest: which value ranks first"),
  ties = list(type = "choice", choices = c("min", "max", "average", "dense", "first"),
    default = "min",
    value = "RULE",
      help = paste("how equal values are numbered: min (1,2,2,4), max (1,3,3,4), average",
          "(1,2.5,2.5,4), dense (1,2,2,3) or first (1,2,3,4)")),
  reach = list(type = "part", default = "80%", value = "PART",
    help = "the part of the total to reach, such as 80% or 0.8"),
  boundary = list(type = "choice", choices = c("reach", "within"), default = "reach",
    value = "RULE",
    help = "whether the item that crosses the line is in (reach) or out (within)"),
  scheme = list(type = "scheme", value = "SCHEME",
    help = "how to cut the tiers, such as 'tiers_by_value(c(A = 50000, B = 10000), rest = \"C\")'"),
  compare_with = list(type = "condition", value = "CONDITION",
    help = paste("rows of an earlier time, such as 'in_period(order_date, previous(year))', whose",
        "tiers are shown beside")),
  against = list(type = "measure", value = "MEASURE",
    help = "the second measure, such as 'margin = sum(profit) / sum(net_sales)'"),
  split_of = list(type = "split", value = "SPLIT",
    help = paste("where the first measure is split: median, mean, overall or a number [median;",
        "overall for ratios and means]")),
  split_against = list(type = "split", value = "SPLIT",
    help = "where the second measure is split [as above]"),
  groups = list(type = "names", value = "NAMES",
    help = paste("names of the four quadrants, high-high first, such as 'c(\"keep\", \"mend\",",
        "\"grow\", \"leave\")'")),
  near = list(type = "part", default = "5%", value = "PART",
    help = "how far from a split, as a part of it, is near it"),
  potential_at = list(type = "ratio", value = "RATIO",
    help = paste("the ratio that what an item would bring is reckoned at, such as 35% [where the",
        "second measure is split]")),
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
    help = paste("where targets come from: a file with the columns of --by and --over and one of",
        "numbers, a column, 'previous()', 'year_ago()' or a number")),
  exceed_at = list(type = "number", default = 1, value = "NUMBER",
    help = "the attainment above which a target is exceeded, such as 1.1"),
  incomplete = list(type = "flag", default = FALSE,
    help = "show periods that are not complete too"),
  prorate = list(type = "flag", default = FALSE,
    help = "count the target of a period that is not over for the days gone by only"),
  across = list(type = "keys", value = "COLUMN",
    help = "what makes the columns, such as 'month(order_date)' or category"),
  shade = list(type = "choice", choices = c("rank", "value"), default = "rank", value = "RULE",
    help = "what the shade of a cell goes by: rank or value"),
  along = list(type = "choice", choices = c("all", "rows", "columns"), default = "all",
    value = "SIDE",
    help = "what a cell is compared with: all, rows or columns"),
  totals = list(type = "switch", default = TRUE, value = "WHEN",
    help = "yes or no: whether to show the totals of rows and columns [yes]"),
  floor = list(type = "number", value = "NUMBER",
    help = "with --shade value: the value of the palest shade [the least]"),
  ceiling = list(type = "number", value = "NUMBER",
    help = "with --shade value: the value of the darkest shade [the greatest]"),
  centre = list(type = "number", value = "NUMBER",
    help = "middle of two colours: with --shade value a value, else a percentile, such as 50%"),
  orders = list(type = "keys", value = "COLUMN",
    help = "the column of order numbers; lines of one order stay together"),
  times = list(type = "number", default = 1000, value = "NUMBER",
    help = "how many times to draw"),
  level = list(type = "part", default = "90%", value = "PART",
    help = "the part of the draws within an interval"),
  seed = list(type = "number", default = 1, value = "NUMBER",
    help = "where the draws begin; the same seed gives the same ranks"),
  top = list(type = "number", default = 10, value = "NUMBER",
    help = "how many items count as the top"),
  item = list(type = "name", value = "NAME",
    help = "the item to explain, such as 'Varlow Boatyard'"),
  only = list(type = "selection", value = "SELECTION",
    help = paste("which items to show, such as 'top(10)' or 'bottom(3) | items(\"Rope\")'; ranks",
        "and shares stay those of all")),
  highlight = list(type = "selection", value = "SELECTION", repeated = TRUE,
    help = "which items to mark, such as 'top(3)' or 'best = top(3)'; may be repeated"),
  order_by = list(type = "order", value = "COLUMN",
    help = paste("in which order to show: a column of the answer such as profit, '-profit' from",
        "the lowest; ranks stay")),
  others = list(type = "flag", default = FALSE,
    help = "with --only, one more row for all others in csv and json"),
  at_cut = list(type = "choice", choices = c("keep", "drop", "split"), default = "keep",
    value = "RULE",
    help = "what becomes of a tie that a cut goes through: keep, drop or split")
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
    summary = "sort items into tiers, with what each lacks for the next",
    arguments = c(grammar_words, ruling, "scheme", "compare_with", selecting),
    tables = c("items", "totals", "thresholds", "tiers", "tiles", "receipt"),
    defaults = list(scheme = "tiers_by_share(c(A = \"80%\", B = \"95%\"), rest = \"C\")"),
    example = paste("tiers orders.csv --of 'sum(net_sales)' --by customer --scheme",
        "'tiers_by_rank(c(A = 10, B = 50), rest = \"C\")'")
  ),
  quadrants = list(
    verb = "quadrants", charts = c("quadrants", "bars", "pareto"),
    summary = "sort items into four groups by two measures, such as sales and margin",
    arguments = c(grammar_words, ruling, splitting, selecting),
    tables = c("items", "totals", "thresholds", "quadrants", "receipt"),
    example = paste("quadrants orders.csv --of 'sum(net_sales)' --against 'margin = sum(profit) /",
        "sum(net_sales)' --by customer --chart quadrants.png")
  )
)

grammar_commands$changes <- list(
  verb = "compare_periods", charts = c("changes", "bridge"),
  summary = "compare two periods: who is new, up, down or lost, and the bridge between the totals",
  arguments = c("of", "by", "over", "where", "within", "also", "show", "from", "to", "tolerance",
    "lost_after", "present", "best", "ties", "as_of", "date", selecting),
  tables = c("items", "totals", "classes", "bridge", "receipt"),
  example = paste("changes orders.csv --of 'sum(net_sales)' --by customer --over",
      "'month(order_date)' --chart changes.png")
)

grammar_commands$targets <- list(
  verb = "against_target", charts = c("targets", "bars"),
  summary = "actual against target: gap, attainment, pace, and who missed, met or exceeded",
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
  summary = "a heat grid: rows by columns, each cell shaded by how it stands among the others",
  arguments = c("of", "by", "across", "where", "within", "shade", "along", "scheme", "floor",
    "target",
    "ceiling", "centre", "totals", "only", "highlight", "at_cut", "best", "as_of", "date"),
  tables = c("items", "totals", "receipt"), types = list(target = "number"),
  help = list(by = "what makes the rows, such as region",
    within = "groups of rows, in each of which cells are compared",
    scheme = "tiers of cells in the place of shades, such as 'tiers_equal(3)'",
    only = "which rows to show, such as 'top(5)'; shades and totals stay those of all",
    highlight = "which rows to mark, such as 'best = top(3)'; may be repeated",
    target = "with --shade value: the value of the middle shade [half way]",
    best = "highest or lowest: which values are darkest"),
  example = paste("grid orders.csv --of 'sum(net_sales)' --by region --across",
      "'quarter(order_date)' --along rows --chart grid.png")
)

grammar_commands$movement <- list(
  verb = "movement", charts = c("movement", "ranks", "transitions"),
  summary = "rank and tier of each item in each period: who rose, fell, came and went",
  arguments = c("of", "by", "over", "where", "within", "scheme", "from", "to", "only", "at_cut",
    "best",
    "ties", "as_of", "date"),
  tables = c("items", "totals", "transitions", "receipt"),
  types = list(from = "label", to = "label"), defaults = list(scheme = "tiers_equal(4)"),
  help = list(over = "the periods to follow, such as 'quarter(order_date)'",
    only = "which items to show, such as 'top(10)' of the last complete period",
    from = "a period to hold against --to, such as 2026-Q1 [the last but one that is complete]",
    to = "the later of two periods [the last complete one]",
    scheme = "how to cut the tiers of each period"),
  example = paste("movement orders.csv --of 'sum(net_sales)' --by customer --over",
      "'quarter(order_date)' --scheme 'tiers_equal(3)' --chart movement.png")
)

grammar_commands$concentration <- list(
  verb = "concentration", steps = c("standings", "concentration"), charts = "concentration",
  summary =
    "concentration: Gini, Herfindahl, number of items that account for 50, 80 and 95%",
  arguments = c(grammar_words, ruling, "compare_with"), tables = c("items", "receipt"),
  help = list(
    compare_with = paste("rows of an earlier time to compare with, such as 'in_period(order_date,",
        "year_ago(year_to_date))'")),
  example = "concentration orders.csv --of 'sum(net_sales)' --by customer --within region"
)

grammar_commands$findings <- list(
  verb = "findings", steps = c("standings", "assign_tiers", "findings"),
  summary = paste("what stands out, in sentences: concentration, big items with low margin,",
      "changes at the top, unusual periods"),
  arguments = c("of", "by", "where", "over", "against", "scheme", "top", "best", "ties", "as_of",
    "date"),
  help = list(over = "periods to compare, such as 'quarter(order_date)'",
    scheme = "tiers whose lines are looked at, such as 'tiers_by_rank(c(A = 10, B = 50))'"),
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
  summary = "the steps that put one item where it is, and what it lacks for the next rank and tier",
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
    summary = "run a study: ask all its questions and write a page, a workbook, tables and figures",
    example = "run review.toml --out review"),
  desk = list(
    summary = "work at a page: ask, look, change one thing, look again, and hand over",
    example = "desk orders.csv"),
  demo = list(summary = "write the demo order book, and a study of it, into a folder",
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
  ranks = list(help = "draw the ranks of a few items as lines instead of tiers",
    commands = "movement"),
  figures = list(value = "WHEN",
    help = "yes or no: whether to show the figures in the grid [where they fit]",
    commands = "grid"),
  all = list(help = "print all items, not only the first ten"),
  format = list(value = "FORM",
    help = "table, csv, json or html; csv and json carry all rows and columns [table]"),
  table = list(value = "NAME", help = "which table to print or write as csv: %s [items]",
    commands = charting),
  shares = list(value = "SHARES",
    help = "with --table thresholds: shares of the total, such as '5%,10%,50%' [50%,80%,95%]",
    commands = names(Filter(function(command) "thresholds" %in% command$tables, grammar_commands))),
  out = list(value = "FILE",
    help = "write the answer to a file; .csv, .json, .html or .xlsx says how"),
  chart = list(value = "FILE",
    help = "draw the answer, or the table asked for, into a .png, .svg or .pdf file",
    commands = charting),
  draw = list(value = "NAME",
    help = "which chart to draw: %s [the natural one, or that of the table]", commands = charting),
  title = list(value = "TEXT", help = "a title for the picture [what it shows]",
    commands = charting),
  subtitle = list(value = "TEXT", help = "a line below the title [how it is to be read]",
    commands = charting),
  items = list(value = "NUMBER",
    help = "number of items in the chart [20; with --only or --all up to 60]",
    commands = c("standings", "pareto", "tiers", "changes", "targets")),
  width = list(value = "PIXELS", help = "how wide the picture is [1280]", commands = charting),
  height = list(value = "PIXELS", help = "height of the chart [800; taller for more than 20 items]",
    commands = charting),
  font = list(value = "NAME",
    help = "the face that letters in the picture are set in [Inter, where it is installed]",
    commands = charting),
  dpi = list(value = "N", help = "pixels to the inch; letters grow with it [110]",
    commands = charting),
  layout = list(value = "FILE",
    help = "a file with rows and columns of regions: draw them as tiles laid out as on a map",
    commands = c("standings", "tiers")),
  shade = list(value = "MEASURE",
    help = "with --layout: name of the measure that shades the tiles [rank, or tier]",
    commands = c("standings", "tiers")),
  centre = list(value = "NUMBER", help = "with --layout and --shade: the value without a colour",
    commands = c("standings", "tiers")),
  size = list(value = "MEASURE",
    help = "name of a further measure that sets the size of the points in the chart",
    commands = "quadrants"),
  overwrite = list(help = "replace files that exist"),
  add_to = list(value = "FILE",
    help = "add this question to a study, a .toml file, which is made if it is not there"),
  part = list(value = "NAME",
    help = "with --add-to: what it is called there [after the command and what it ranks]"),
  lookup = list(value = "FILE", repeated = TRUE, commands = names(grammar_commands),
    help = paste("a second file that adds columns by a key, such as customers.csv, or",
        "'customers.csv: customer = id'; may be repeated")),
  encoding = list(value = "NAME", help = "encoding of the file: UTF-8 or latin1 [UTF-8]"),
  separator = list(value = "CHARACTER",
    help = "separator of the file's fields [the commonest in its header]"),
  decimal = list(value = "MARK",
    help = "decimal mark of amounts, . or , where the file does not decide it"),
  dates = list(value = "ORDER",
    help = "dmy, mdy or ymd: order of dates such as 03/04/2026, where the file does not decide it"),
  twice = list(value = "RULE",
    help = "what to do with duplicate files: count or refuse [count; refuse in studies]"),
  sheet = list(value = "NAME", help = "sheet of a workbook, by name or number [the first]"),
  show_sql = list(help = "say what the database is asked, where the rows are in one",
    commands = charting),
  port = list(value = "NUMBER", help = "where the desk listens [a port that is free]",
    commands = "desk"),
  no_browser = list(help = "say the address of the desk, and open no browser", commands = "desk"),
  help = list(help = "show this help")
))

# What somebody wants, and the options for it: help goes by this.
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

# What an argument is to a command: what is said of it in general, and what else here.
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
