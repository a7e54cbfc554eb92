# The desk on the wire: a local server that answers to nobody without its secret.

desk_packages <- c("htmltools", "ggplot2", "svglite", "httpuv", "later")

#' @param desk From `new_desk()`.
#' @param say Function of the address, called once it can be opened.
#' @param port A number, or NULL for one that is free.
#' @noRd
serve_desk <- function(desk, say, port = NULL, call = NULL) {
  app <- new_app(desk, free_port(port, call))
  server <- httpuv::startServer("127.0.0.1", app$port,
    list(onHeaders = gate_of(app), call = pages_of(app), onWSOpen = sockets_of(app)))
  on.exit(httpuv::stopServer(server))
  say(sprintf("http://127.0.0.1:%d/?key=%s", app$port, app$key))
  # An error in one message must not end the desk or its other pages.
  while (!app$ended) tryCatch(later::run_now(0.5),
    error = function(e) message("The desk: ", conditionMessage(e)))
  invisible()
}

new_app <- function(desk, port) {
  list2env(list(desk = desk, port = port, key = secret(), tabs = list(), files = list(), open = 0L,
    opened = 0L,
    stopped = FALSE, ended = FALSE, working = FALSE, waiting = list(), wait = 4),
    parent = emptyenv())
}

# Session token: 128 random bits. Fail rather than start without one.
secret <- function() {
  if (!file.exists("/dev/urandom")) {
    stop_eggcrate("needs", "program",
      "The desk needs /dev/urandom for random numbers, and this system has none.")
  }
  con <- file("/dev/urandom", "rb", raw = TRUE)
  on.exit(close(con))
  paste(as.character(readBin(con, "raw", 16L)), collapse = "")
}

free_port <- function(port, call = NULL) {
  if (is.null(port)) {
    return(httpuv::randomPort(host = "127.0.0.1"))
  }
  if (!is.numeric(port) || length(port) != 1L || is.na(port) || port < 1024 || port > 65535 ||
    port != floor(port)) {
    stop_eggcrate("call", "unknown_value",
      sprintf("`port` must be a whole number from 1024 to 65535, not %s.", describe(port)),
      call = call)
  }
  free <- tryCatch({
    httpuv::stopServer(httpuv::startServer("127.0.0.1", port, list()))
    TRUE
  }, error = function(e) FALSE)
  if (!free) stop_data("port", sprintf("Port %d is in use.", as.integer(port)),
    i = "Name another, or none.", call = call)
  as.integer(port)
}

# Who may ------------------------------------------------------------------

#' Does a request come from the desk's own page? It must have this machine as host, the desk as
#' origin, and the secret.
#' @noRd
may_ask <- function(app, request, key) {
  hosts <- paste0(c("127.0.0.1", "localhost"), ":", app$port)
  origin <- request$HTTP_ORIGIN
  identical(key, app$key) && isTRUE(request$HTTP_HOST %in% hosts) &&
    (is.null(origin) || isTRUE(origin %in% paste0("http://", hosts)))
}

query_key <- function(query) {
  found <- regmatches(query, regexec("[?&]key=([0-9a-f]*)(&|$)", query))
  if (length(found) && length(found[[1L]])) found[[1L]][2L]
}

desk_headers <- function(app) {
  sockets <- paste(sprintf("ws://%s:%d", c("127.0.0.1", "localhost"), app$port), collapse = " ")
  list("Content-Security-Policy" = paste0(paste("default-src 'none'; script-src 'self'; style-src",
    "'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self'; "),
    "connect-src 'self' ", sockets,
    "; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"),
    "X-Content-Type-Options" = "nosniff", "Referrer-Policy" = "no-referrer",
    "Cache-Control" = "no-store", "X-Frame-Options" = "DENY")
}

# Largest request or message in bytes. A question of the page is much smaller.
most_sent <- 1e6

#' Refuses a request after its headers, before its body is received. This includes the handshake of
#' a socket.
#' @noRd
gate_of <- function(app) {
  function(request) {
    size <- suppressWarnings(as.numeric(request$HTTP_CONTENT_LENGTH %||% 0))
    if (!may_ask(app, request, query_key(request$QUERY_STRING))) {
      desk_response(app, 403L, "text/plain; charset=utf-8",
        "Access denied. Open the full address that the desk printed.")
    } else if (is.na(size) || size > most_sent || !is.null(request$HTTP_TRANSFER_ENCODING)) {
      desk_response(app, 413L, "text/plain; charset=utf-8", "Too large.")
    }
  }
}

pages_of <- function(app) {
  function(request) {
    path <- request$PATH_INFO
    found <- if (startsWith(path, "/take/")) app$files[[sub("^/take/", "", path)]] else switch(path,
      "/" = list(type = "text/html; charset=utf-8", content = desk_document(app$desk, app$key)),
      "/desk.js" = desk_asset("desk.js", "text/javascript; charset=utf-8"),
      "/desk.css" = list(type = "text/css; charset=utf-8", content = desk_style()),
      "/stop" = stop_word(app))
    if (is.null(found)) return(desk_response(app, 404L, "text/plain; charset=utf-8",
      "There is nothing at this address."))
    desk_response(app, 200L, found$type, found$content, attachment(found$name))
  }
}

desk_response <- function(app, status, type, content, headers = NULL) {
  list(status = status, headers = c(list("Content-Type" = type), desk_headers(app), headers),
    body = as_content(content))
}

stop_word <- function(app) {
  app$stopped <- TRUE
  list(type = "text/plain", content = "stopping\n")
}

attachment <- function(name) {
  if (is.null(name)) return(NULL)
  list("Content-Disposition" = sprintf("attachment; filename=\"%s\"", name))
}

as_content <- function(content) if (is.raw(content)) content else
  paste(c(enc2utf8(content), ""), collapse = "\n")

desk_asset <- function(name, type) {
  path <- system.file("desk", name, package = "eggcrate")
  list(type = type, content = readBin(path, "raw", file.size(path)))
}

# The page -----------------------------------------------------------------

sockets_of <- function(app) {
  function(socket) {
    # httpuv opens a refused socket for a moment, so check again and close it.
    if (!may_ask(app, socket$request, query_key(socket$request$QUERY_STRING))) {
      socket$close()
      return()
    }
    page <- list2env(list(n = 0L, tab = NULL, closed = FALSE,
      send = function(message) socket$send(message_json(message))))
    app$open <- app$open + 1L
    app$opened <- app$opened + 1L
    socket$onMessage(function(binary, text) {
      sent <- read_message(text)
      if (is.null(sent)) socket$close() else when_free(app, function() take_turn(app, page, sent))
    })
    socket$onClose(function() {
      page$closed <- TRUE
      app$open <- app$open - 1L
      # A page that is read again opens within moments; a window that is closed does not.
      opened <- app$opened
      later::later(function() if (app$open == 0L && app$opened == opened) app$ended <- TRUE,
        app$wait)
    })
  }
}

# Parses a message of the page. Returns NULL if it is too long or not JSON.
read_message <- function(text) {
  if (!is.character(text) || nchar(text, "bytes") > most_sent || !validUTF8(text)) {
    return(NULL)
  }
  found <- parsed_json(text)
  if (!is.null(found)) as.list(found)
}

message_json <- function(message) as.character(jsonlite::toJSON(message, auto_unbox = TRUE,
  null = "null", na = "null", digits = NA, force = TRUE))

# Requests arrive while an act runs. An act of another window waits until the first is finished.
when_free <- function(app, act) {
  app$waiting <- c(app$waiting, act)
  if (app$working) return(invisible())
  app$working <- TRUE
  on.exit(app$working <- FALSE)
  while (length(app$waiting)) {
    first <- app$waiting[[1L]]
    app$waiting <- app$waiting[-1L]
    first()
  }
}

#' One act of the page: done, and answered at once; the figure follows.
#' @param turn Which page it is, its newest act, whether it is `closed`, and `send`, a function of a
#'   message.
#' @noRd
take_turn <- function(app, turn, sent) {
  if (!is.list(sent) || !is_one_number(sent$n)) {
    return()
  }
  turn$n <- sent$n
  turn$width <- sent$width
  if (identical(sent$what, "hello")) turn$tab <- tab_name(sent$tab)
  if (is.null(turn$tab)) {
    return()
  }
  send <- function(message) if (!turn$closed) turn$send(message)
  desk <- app$tabs[[turn$tab]] %||% app$desk
  reply <- tryCatch(with_progress(app, send,
    in_utf8(with_all_signs(with_display(desk$study$display, {
      done <- desk_act(desk, sent)
      say_progress("Writing")
      list(done = done, message = views_message(done))
    })))), eggcrate_stopped = function(e) NULL,
    error = function(e) list(message = list(word = paste("Something went wrong here:",
      conditionMessage(e)))))
  if (is.null(reply)) reply <- list(message = list(word = "Stopped. The earlier result is shown.",
    stale = TRUE))
  if (!is.null(reply$done)) {
    keep_tab(app, turn$tab, reply$done$desk)
    if (!is.null(reply$done$take)) reply$message$take <- hand_out(app, reply$done$take)
  }
  draws <- any(c("finding", "beside") %in% reply$done$views)
  send(c(list(n = sent$n, draws = draws), reply$message))
  if (draws) {
    turn$drawing <- sent$n
    # Where another answer has come since, its figure is the one to draw.
    later::later(function() if (identical(turn$drawing, sent$n) &&
      !turn$closed) send_figures(desk_of(app, turn), reply$done, send, turn), 0.005)
  }
}

# The name of a page; NULL if the page sent something else.
tab_name <- function(x) if (is.character(x) && length(x) == 1L && !is.na(x) && nzchar(x)) substr(x,
  1L, 64L)

is_one_number <- function(x) is.numeric(x) && length(x) == 1L && is.finite(x)

desk_of <- function(app, turn) app$tabs[[turn$tab]]

# Of many tabs the last ones are kept.
keep_tab <- function(app, tab, desk) {
  app$tabs <- utils::head(c(with_names(list(desk), tab), app$tabs[setdiff(names(app$tabs), tab)]),
    20L)
}

hand_out <- function(app, file) {
  id <- secret()
  app$files <- utils::head(c(with_names(list(file), id), app$files), 10L)
  sprintf("take/%s?key=%s", id, app$key)
}

# Long reading says how far it is, and hears when it is to stop.
with_progress <- function(app, send, code) {
  app$stopped <- FALSE
  told <- proc.time()[[3L]]
  before <- options(eggcrate.progress = function(text, part) {
    # A request comes in, is read, and is answered.
    for (i in 1:3) later::run_now(0.002)
    if (app$stopped) {
      stop(structure(class = c("eggcrate_stopped", "error", "condition"),
        list(message = "stopped", call = NULL)))
    }
    # A part that is done is followed by another, or by the answer.
    if (!identical(part, 1) && proc.time()[[3L]] - told > 0.3) {
      told <<- proc.time()[[3L]]
      send(list(progress = text, part = part))
    }
  })
  on.exit(options(before))
  force(code)
}

send_figures <- function(desk, done, send, turn) {
  in_utf8(with_all_signs(with_display(desk$study$display, {
    message <- list(n = turn$n, drawn = TRUE)
    if ("finding" %in% done$views) {
      message$figure <- figure_message(desk, done$step, "here", turn$width)
    }
    if (desk$beside > 0L && desk$beside != desk$at) {
      message$figure_there <- figure_message(desk, desk_step(desk, desk$beside), "there",
        turn$width)
    }
    send(message)
  })))
}
