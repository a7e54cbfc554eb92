fetch <- function(url, ..., method = "GET") {
  handle <- curl::new_handle()
  curl::handle_setheaders(handle, ...)
  if (method != "GET") curl::handle_setopt(handle, customrequest = method)
  curl::curl_fetch_memory(url, handle)
}

# One desk for the tests of what it answers to; the last of them closes its only window, so that it ends.
desk <- start_desk(orders_path(), env = testthat::teardown_env())

test_that("the desk says its address on one line, and its secret is another each time", {
  expect_match(desk$said, "^The desk is open at http://127[.]0[.]0[.]1:[0-9]+/[?]key=[0-9a-f]{32}$")
  expect_false(eggcrate:::secret() == eggcrate:::secret())
  expect_identical(fetch(desk$address)$status_code, 200L)
  other <- start_desk(c(orders_path(), "--port", sub("^.*:([0-9]+)/$", "\\1", desk$root)))
  expect_false(other$process$is_alive())
  expect_match(paste(other$said, collapse = " "), "is in use")
})

test_that("without the secret, for another host, or from another place nothing is answered", {
  refused <- function(...) expect_identical(fetch(...)$status_code, 403L)
  refused(desk$root)
  refused(paste0(desk$root, "?key=", strrep("0", 32)))
  refused(paste0(desk$root, "desk.js"))
  refused(paste0(desk$root, "take/x"))
  refused(paste0(desk$root, "stop"))
  refused(desk$address, Host = "evil.example")
  refused(desk$address, Host = paste0("evil.example:", sub("^.*:([0-9]+)/$", "\\1", desk$root)))
  refused(desk$address, Origin = "http://evil.example")
  refused(desk$address, Origin = "null")
  page <- fetch(desk$address)
  headers <- curl::parse_headers(page$headers)
  expect_match(headers, "Content-Security-Policy: default-src 'none'", all = FALSE)
  expect_match(headers, "X-Frame-Options: DENY", all = FALSE)
  html <- rawToChar(page$content)
  expect_no_match(html, "(src|href)=\"(https?:)?//")
  # No file of the machine is to be had.
  for (path in c("..%2f..%2fetc%2fpasswd", "orders.csv", "take/..%2f..%2fetc%2fpasswd", "eggcrate/desk/desk.js", "etc/passwd")) {
    expect_true(fetch(paste0(desk$root, path, "?key=", desk$key))$status_code %in% c(403L, 404L), info = path)
  }
})

test_that("it listens to this machine only", {
  port <- strtoi(sub("^.*:([0-9]+)/$", "\\1", desk$root))
  skip_if(!file.exists("/proc/net/tcp"))
  open <- utils::read.table(text = sub("^ *[0-9]+: ", "", readLines("/proc/net/tcp")[-1L]), fill = TRUE, stringsAsFactors = FALSE)
  here <- open[grepl(sprintf(":%04X$", port), open$V1) & open$V3 == "0A", "V1"]
  expect_identical(here, sprintf("0100007F:%04X", port))
})

# A message to the desk over a socket: what comes back, and whether the socket was closed.
talk <- function(origin, query, text = "{\"what\": \"hello\", \"n\": 1, \"tab\": \"t\"}") {
  heard <- character()
  closed <- FALSE
  socket <- websocket::WebSocket$new(sub("^http", "ws", paste0(desk$root, query)), headers = list(Origin = origin), autoConnect = FALSE,
    errorLogChannels = "none")
  socket$onMessage(function(event) heard <<- c(heard, event$data))
  socket$onClose(function(event) closed <<- TRUE)
  socket$onError(function(event) closed <<- TRUE)
  socket$onOpen(function(event) socket$send(text))
  socket$connect()
  end <- Sys.time() + 4
  while (Sys.time() < end && !closed && !any(grepl("customer", heard))) later::run_now(0.1)
  if (!closed) socket$close()
  end <- Sys.time() + 4
  while (Sys.time() < end && !closed) later::run_now(0.1)
  list(heard = heard, closed = closed)
}
own_origin <- sub("/$", "", desk$root)

test_that("a socket without the secret, or from another place, is refused at the handshake", {
  key <- paste0("?key=", desk$key)
  expect_true(any(grepl("customer", talk(own_origin, key)$heard)))
  for (case in list(list(own_origin, ""), list(own_origin, "?key=0"), list("http://evil.example", key), list("null", key))) {
    got <- do.call(talk, case)
    expect_true(got$closed)
    expect_identical(got$heard, character())
  }
  handshake <- function(query, host) {
    con <- socketConnection("127.0.0.1", as.integer(sub("^.*:", "", own_origin)), open = "r+b", blocking = TRUE, timeout = 5)
    on.exit(close(con))
    writeLines(c(sprintf("GET /%s HTTP/1.1", query), paste("Host:", host), "Connection: Upgrade", "Upgrade: websocket", "Sec-WebSocket-Version: 13",
      "Sec-WebSocket-Key: SGVsbG8sIHdvcmxkIQ==", ""), con, sep = "\r\n")
    readLines(con, 1L)
  }
  own_host <- sub("^http://", "", own_origin)
  expect_match(handshake(key, own_host), "101")
  expect_match(handshake("?key=0", own_host), "403")
  expect_match(handshake(key, "evil.example"), "403")
})

test_that("a message that is too long or not JSON closes its socket, and the desk goes on", {
  key <- paste0("?key=", desk$key)
  long <- sprintf("{\"what\": \"hello\", \"n\": 1, \"tab\": \"t\", \"x\": \"%s\"}", strrep("x", 1.1e6))
  for (text in c(long, "{", "", "hello", strrep("[", 2e5), paste0(strrep("[", 2e5), strrep("]", 2e5)), "\"\\ud800\"", "{\"a\": %n}", "%n%n%s")) {
    got <- talk(own_origin, key, text)
    expect_true(got$closed)
    expect_identical(got$heard, character())
  }
  for (text in c("[]", "7", "null", "{\"what\": \"hello\"}", "{\"n\": 1, \"what\": \"hello\", \"tab\": null}")) expect_identical(talk(own_origin, key, text)$heard, character())
  expect_true(any(grepl("customer", talk(own_origin, key)$heard)))
  # Nothing is uploaded.
  handle <- curl::new_handle(postfields = raw(2e6))
  expect_identical(curl::curl_fetch_memory(desk$address, handle)$status_code, 413L)
})

test_that("the command says what it needs, and is refused with a word", {
  expect_match(run_here(c("desk", "--help"))$out, "no-browser", all = FALSE)
  expect_identical(run_here("desk")$status, 2L)
  expect_match(run_here(c("desk", "none.csv"))$err[1L], "none.csv")
  expect_match(run_here(c("desk", orders_path(), "--port", "80"))$err[1L], "port")
  expect_match(run_here(c("desk", orders_path(), "--port", "x"))$err[1L], "--port must be a number")
  expect_match(run_here(c("desk", orders_path(), "--layout", "none.csv"))$err[1L], "none.csv")
  expect_error(desk(demo_orders(), port = "x"), class = "eggcrate_error_unknown_value")
  expect_error(desk(1), class = "eggcrate_error_unknown_value")
})

test_that("long reading says how far it is, and stops when it is told to", {
  app <- list2env(list(stopped = FALSE))
  told <- list()
  send <- function(message) told[[length(told) + 1L]] <<- message
  reads <- function() {
    progress <- getOption("eggcrate.progress")
    Sys.sleep(0.35)
    progress("Reading orders.csv", 0.5)
    "read"
  }
  expect_identical(eggcrate:::with_progress(app, send, reads()), "read")
  expect_identical(told, list(list(progress = "Reading orders.csv", part = 0.5)))
  stopped <- tryCatch(eggcrate:::with_progress(app, send, {
    eggcrate:::stop_word(app)
    reads()
  }), eggcrate_stopped = function(e) "stopped")
  expect_identical(stopped, "stopped")
  expect_null(getOption("eggcrate.progress"))
})

test_that("counting, ranking and following through time stop when they are told to, and nothing is changed", {
  n <- 210000
  data <- data.frame(item = sprintf("i%06d", seq_len(n)), sales = rep_len(c(1.5, 2.25, 8), n), day = rep(as.Date("2025-01-01") + 0:599, each = 350))
  source <- eggcrate:::open_source(data)
  asked <- list(list("movement", list(of = "sum(sales)", by = "item", over = "year(day)")))
  stopped_in <- character()
  for (one in asked) {
    said <- character()
    whole <- withr::with_options(list(eggcrate.progress = function(text, part) said <<- c(said, text)), eggcrate:::ask(one[[1L]], one[[2L]], source))
    for (stop_at in match(unique(said), said)) {
      app <- list2env(list(stopped = FALSE))
      at <- 0L
      ended <- tryCatch(eggcrate:::with_progress(app, function(message) NULL, {
        listener <- getOption("eggcrate.progress")
        options(eggcrate.progress = function(text, part) {
          at <<- at + 1L
          if (at == stop_at) eggcrate:::stop_word(app)
          listener(text, part)
        })
        eggcrate:::ask(one[[1L]], one[[2L]], source)
      }), eggcrate_stopped = function(e) said[stop_at])
      # The last word is that it is done.
      if (is.character(ended)) stopped_in <- c(stopped_in, ended)
    }
    expect_true(identical(as.data.frame(eggcrate:::ask(one[[1L]], one[[2L]], source)), as.data.frame(whole)))
  }
  expect_setequal(unique(stopped_in), c("Ranking", "Following through time"))
})

test_that("the kernel says how far it is, and what ends it there comes through it", {
  x <- standings(demo_orders(), of = sum(net_sales), by = c(customer, product))
  told <- NULL
  listen <- function(text, part) {
    told <<- list(text, part)
    stop(structure(class = c("eggcrate_stopped", "error", "condition"), list(message = "stopped", call = NULL)))
  }
  # So many resamples take longer than the time after which there is a first word.
  ended <- tryCatch(withr::with_options(list(eggcrate.progress = listen), rank_intervals(x, order = order_no, times = 65535)), eggcrate_stopped = identity)
  expect_s3_class(ended, "eggcrate_stopped")
  expect_identical(told[[1L]], "Resampling")
  expect_gt(told[[2L]], 0)
  expect_lt(told[[2L]], 1)
  # Whoever is no error ends nothing.
  told <- NULL
  quiet <- withr::with_options(list(eggcrate.progress = function(text, part) told <<- c(told, part)), rank_intervals(x, order = order_no, times = 2000, seed = 1))
  expect_identical(quiet, rank_intervals(x, order = order_no, times = 2000, seed = 1))
})

test_that("the desk ends some time after its last window is closed, not when one was opened since", {
  app <- list2env(list(port = 1L, key = "0", open = 0L, opened = 0L, ended = FALSE, wait = 0.2))
  open_window <- function() {
    closed <- NULL
    request <- list(QUERY_STRING = "?key=0", HTTP_HOST = "127.0.0.1:1")
    eggcrate:::sockets_of(app)(list(request = request, onMessage = function(f) NULL, onClose = function(f) closed <<- f))
    closed
  }
  wait <- function(seconds) {
    end <- Sys.time() + seconds
    while (Sys.time() < end) later::run_now(0.01)
  }
  open_window()()
  wait(0.12)
  # Opened and closed again between: the desk waits from here.
  open_window()()
  wait(0.12)
  expect_false(app$ended)
  wait(0.2)
  expect_true(app$ended)
})

test_that("what no page sends ends nothing, and is not answered", {
  app <- list2env(list(desk = new_demo_desk(), tabs = list(), files = list(), stopped = FALSE))
  said <- list()
  turn <- list2env(list(n = 0L, tab = NULL, closed = FALSE, send = function(message) said[[length(said) + 1L]] <<- message))
  for (sent in list(list(n = 1, what = "hello", tab = NULL), list(n = 1, what = "hello", tab = NA), list(n = 1, what = "hello", tab = ""),
    list(n = 1, what = "hello", tab = list("a")), list(n = 1, what = "hello", tab = 7), list(n = NA_real_, what = "hello", tab = "a"),
    list(n = numeric(), what = "hello", tab = "a"), list(n = 1:2, what = "hello", tab = "a"), "hello", NULL, list(n = 1, what = "ask"))) {
    expect_no_error(eggcrate:::take_turn(app, turn, sent))
  }
  expect_length(said, 0L)
  eggcrate:::take_turn(app, turn, list(n = 1, what = "hello", tab = "a"))
  expect_length(said, 1L)
  expect_named(app$tabs, "a")
})
