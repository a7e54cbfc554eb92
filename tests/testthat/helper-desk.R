# A desk without a browser, and one with.

new_demo_desk <- function(data = orders_path(), ...) {
  source <- eggcrate:::keep_tallies(eggcrate:::open_source(data))
  withr::defer_parent(eggcrate:::source_close(source))
  study <- list(source = list(file = if (is.character(data)) data), ...)
  eggcrate:::new_desk(source, study, layout = system.file("extdata", "region-tiles.csv", package = "eggcrate"))
}

# What the page sends when a question is asked.
asks <- function(desk, kind, ..., where = character(), rows = "10", chart = "") {
  question <- list(kind = kind, args = list(...), conditions = lapply(where, function(text) list(text = text, on = TRUE)), rows = rows, chart = chart)
  eggcrate:::desk_act(desk, list(what = "ask", question = question))
}

answer_on <- function(desk) eggcrate:::step_result(desk, eggcrate:::desk_step(desk))

# The command as a process, which is stopped when the test is over.
start_desk <- function(args, env = parent.frame()) {
  process <- processx::process$new(command_path(), c("desk", args, "--no-browser"), stdout = "|", stderr = "|",
    env = c("current", R_LIBS = paste(.libPaths(), collapse = ":")))
  withr::defer(process$kill_tree(), envir = env)
  said <- character()
  until <- Sys.time() + 60
  while (!any(grepl("http://", said)) && process$is_alive() && Sys.time() < until) {
    process$poll_io(500)
    said <- c(said, process$read_error_lines())
  }
  address <- sub("^.*(http://[^ ]+).*$", "\\1", grep("http://", said, value = TRUE)[1L])
  list(process = process, said = said, address = address, root = sub("[?].*$", "", address), key = sub("^.*key=", "", address))
}

axe_path <- function() file.path(checkout_folder(), "build", "axe", "node_modules", "axe-core", "axe.min.js")

# What axe-core finds on a page, by how grave it is.
axe_findings <- function(page, graves = c("serious", "critical")) {
  page$js(paste(readLines(axe_path(), warn = FALSE), collapse = "\n"))
  found <- page$js("axe.run().then(function(r){return r.violations.map(function(v){return v.impact+' '+v.id+': '+v.nodes.map(function(n){return n.html}).slice(0,3).join(' ')})})")
  found <- as.character(unlist(found))
  found[sub(" .*$", "", found) %in% graves]
}

# A page that has just been left for another has nothing to ask yet.
on_its_way <- function(e) if (!grepl("navigated|context", conditionMessage(e))) stop(e)

# One connection to the browser for all pages.
browser <- local({
  made <- NULL
  function() {
    if (is.null(made)) {
      made <<- chromote::Chromote$new(browser = chromote::ChromeRemote$new("127.0.0.1", server("chromium")$port))
      made$default_timeout <<- 60 # a busy machine is no failure
    }
    made
  }
})

# A page in a real browser: `js()` gives the value of an expression, `until()` waits for one to be true.
open_page <- function(address, width = 1280, height = 800, env = parent.frame(), plain = FALSE) {
  parent <- browser()
  b <- chromote::ChromoteSession$new(parent = parent, width = width, height = height)
  withr::defer(if (b$is_active()) b$close(), envir = env)
  page <- new.env()
  page$wrong <- character()
  b$Runtime$enable()
  b$Runtime$exceptionThrown(callback_ = function(m) page$wrong <- c(page$wrong, m$exceptionDetails$exception$description))
  page$b <- b
  page$js <- function(code) b$Runtime$evaluate(code, returnByValue = TRUE, awaitPromise = TRUE)$result$value
  page$until <- function(code, seconds = 20) {
    end <- Sys.time() + seconds
    while (!isTRUE(tryCatch(page$js(code), error = on_its_way))) {
      if (Sys.time() > end) stop("waited in vain for ", code)
      later::run_now(0.05)
    }
    TRUE
  }
  page$text <- function(selector) page$js(sprintf("(document.querySelector(%s) || {innerText: ''}).innerText", jsonlite::toJSON(selector, auto_unbox = TRUE)))
  page$go <- function(address) {
    b$Page$navigate(address)
    page$until("document.querySelector('#finding h2') !== null")
    page$rest()
  }
  # Everything that was asked is answered, and drawn.
  page$rest <- function() {
    later::run_now(0.2)
    page$until("document.documentElement.getAttribute('data-busy') === 'no'")
  }
  page$key <- function(name, code = name, text = NULL, modifiers = 0L) {
    at <- list(key = name, code = code, windowsVirtualKeyCode = c(Enter = 13L, Tab = 9L, ArrowRight = 39L, ArrowLeft = 37L, ArrowDown = 40L, " " = 32L)[name], modifiers = modifiers)
    at <- at[!vapply(at, function(x) is.null(x) || anyNA(x), NA)]
    do.call(b$Input$dispatchKeyEvent, c(list(type = if (is.null(text)) "rawKeyDown" else "keyDown"), at, if (!is.null(text)) list(text = text)))
    do.call(b$Input$dispatchKeyEvent, c(list(type = "keyUp"), at))
  }
  # As a person types: the field is focused, its text replaced, and left by Enter.
  page$type <- function(selector, text, enter = TRUE) {
    page$js(sprintf("(function(){var f=document.querySelector(%s);f.focus();f.select();})()", jsonlite::toJSON(selector, auto_unbox = TRUE)))
    b$Input$insertText(text = text)
    if (enter) {
      page$key("Enter", text = "\r")
      page$rest()
    }
  }
  page$choose <- function(selector, value) {
    page$js(sprintf("(function(){var f=document.querySelector(%s);f.value=%s;f.dispatchEvent(new Event('change',{bubbles:true}));})()",
      jsonlite::toJSON(selector, auto_unbox = TRUE), jsonlite::toJSON(value, auto_unbox = TRUE)))
    page$rest()
  }
  page$click <- function(selector) {
    page$js(sprintf("document.querySelector(%s).click()", jsonlite::toJSON(selector, auto_unbox = TRUE)))
    page$rest()
  }
  page$mouse <- function(x, y, to = NULL) {
    b$Input$dispatchMouseEvent(type = "mousePressed", x = x, y = y, button = "left", clickCount = 1L)
    if (!is.null(to)) {
      b$Input$dispatchMouseEvent(type = "mouseMoved", x = (x + to[1L]) / 2, y = (y + to[2L]) / 2, button = "left", buttons = 1L)
      b$Input$dispatchMouseEvent(type = "mouseMoved", x = to[1L], y = to[2L], button = "left", buttons = 1L)
    }
    end <- to %||% c(x, y)
    b$Input$dispatchMouseEvent(type = "mouseReleased", x = end[1L], y = end[2L], button = "left", clickCount = 1L)
    page$rest()
  }
  if (plain) {
    # Not a desk: there is nothing to wait for but the page.
    b$Page$setBypassCSP(enabled = TRUE)
    b$Page$navigate(address)
    page$until("document.readyState === 'complete' && document.querySelector('h1') !== null")
  } else {
    page$go(address)
  }
  page
}

`%||%` <- function(x, y) if (is.null(x)) y else x

checkout_folder <- function() normalizePath(Sys.getenv("EGGCRATE_CHECKOUT", testthat::test_path("..", "..")))

numbers_in <- function(page, selector) {
  text <- page$js(sprintf("Array.from(document.querySelectorAll('%s')).map(function(e){return e.innerText}).join('|')", selector))
  as.numeric(gsub("[^0-9.-]", "", strsplit(text, "|", fixed = TRUE)[[1L]]))
}
