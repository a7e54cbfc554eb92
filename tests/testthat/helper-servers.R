# Servers of our own: databases and a browser, on loopback, in folders of their own, each started once when it is first needed.
# Those that a whole run of tests shares are started by the runner, which names them in the file EGGCRATE_SERVERS.

servers <- new.env()

server <- function(name) {
  if (!exists(name, servers, inherits = FALSE)) {
    path <- Sys.getenv("EGGCRATE_SERVERS")
    shared <- if (nzchar(path)) readRDS(path)[[name]]
    assign(name, shared %||% start_by_name(name), servers)
  }
  get(name, servers)
}

start_by_name <- function(name) {
  switch(name, postgresql = start_postgresql(), chromium = start_chromium(), mariadb = start_mariadb(),
    shard1 = start_shard(1L), shard2 = start_shard(2L))
}

# Not within R's own temporary folder, which nobody else may enter.
server_folder <- function(name) {
  folder <- tempfile(paste0("eggcrate-", name, "-"), dirname(tempdir()))
  dir.create(folder, mode = "0755")
  folder
}

as_root <- function() identical(as.integer(system2("id", "-u", stdout = TRUE)), 0L)

#' Starts a program in the background and waits until it answers. A watcher, a process of its own, ends it and removes its folder
#' as soon as this R is gone, however that ended.
#' @param ready Function of the port: does it answer?
#' @noRd
start_server <- function(name, command, folder, port, ready) {
  log <- file.path(folder, "server.out")
  pid <- as.integer(system2("sh", c("-c", shQuote(sprintf("setsid %s >%s 2>&1 & echo $!", command, shQuote(log)))), stdout = TRUE))
  watch <- sprintf("while kill -0 %d; do sleep 0.5; done; kill %d; for i in 1 2 3 4 5 6 7 8 9 10; do kill -0 %d || break; sleep 0.5; done; kill -9 -%d; rm -rf %s",
    Sys.getpid(), pid, pid, pid, shQuote(folder))
  system2("setsid", c("sh", "-c", shQuote(watch)), stdout = FALSE, stderr = FALSE, wait = FALSE)
  server <- list(pid = pid, folder = folder, port = port, log = log)
  for (i in 1:300) {
    if (isTRUE(suppressWarnings(tryCatch(ready(port), error = function(e) FALSE)))) return(server)
    Sys.sleep(0.1)
  }
  stop(name, " does not answer: ", paste(utils::tail(readLines(log), 5L), collapse = "\n"))
}

# Below those that the system gives to whoever connects, apart from those of another process of tests beside this one, and none
# twice: one that is for a server to come is still free.
free_port <- local({
  given <- integer()
  function() {
    from <- 20000L + 1000L * (Sys.getpid() %% 12L)
    repeat {
      port <- httpuv::randomPort(from, from + 999L)
      if (!port %in% given) break
    }
    given <<- c(given, port)
    port
  }
})

run_quietly <- function(command) {
  said <- suppressWarnings(system2("sh", c("-c", shQuote(paste(command, "2>&1"))), stdout = TRUE))
  if (!is.null(attr(said, "status"))) stop(paste(utils::tail(said, 5L), collapse = "\n"))
}

# As another user than root, which it refuses. Its user has a password with letters that addresses have a meaning for.
server_password <- "p@ss:w/rd#1"

start_postgresql <- function() {
  folder <- server_folder("postgresql")
  port <- free_port()
  programs <- utils::tail(Sys.glob("/usr/lib/postgresql/*/bin"), 1L)
  user <- if (as_root()) "setpriv --reuid=postgres --regid=postgres --clear-groups " else ""
  if (nzchar(user)) run_quietly(paste("chown postgres", folder))
  secret <- file.path(folder, "password")
  writeLines(server_password, secret)
  data <- file.path(folder, "data")
  run_quietly(sprintf("%s%s/initdb -D %s -U shop --pwfile=%s -A scram-sha-256 -E UTF8 --locale=C.UTF-8", user, programs, data, secret))
  start_server("postgresql", sprintf("%s%s/postgres -D %s -p %d -c listen_addresses=127.0.0.1 -c unix_socket_directories= -c fsync=off -c log_statement=all -c log_line_prefix='%%d '", user, programs, data, port),
    folder, port, function(port) DBI::dbDisconnect(postgresql_connection("postgres", port)))
}

postgresql_connection <- function(database = postgresql_database(), port = server("postgresql")$port) {
  DBI::dbConnect(RPostgres::Postgres(), host = "127.0.0.1", port = port, user = "shop", password = server_password, dbname = database)
}

# Each process of tests has a database of its own, for all of its files.
postgresql_database <- function() {
  name <- sprintf("shop%d", Sys.getpid())
  if (!exists("database", servers, inherits = FALSE)) {
    con <- postgresql_connection("postgres")
    on.exit(DBI::dbDisconnect(con))
    known <- DBI::dbGetQuery(con, "SELECT datname FROM pg_database")$datname
    if (!name %in% known) DBI::dbExecute(con, paste("CREATE DATABASE", name, "TEMPLATE template0"))
    assign("database", name, servers)
  }
  name
}

# Found by name: Debian's own script passes its messages through other programs.
chromium_path <- function() {
  path <- Sys.which(c("chromium", "chromium-browser", "google-chrome"))
  path[nzchar(path)][1L]
}

start_chromium <- function() {
  folder <- server_folder("chromium")
  port <- free_port()
  start_server("chromium", paste(chromium_path(), "--headless --no-sandbox --disable-gpu --disable-dev-shm-usage --disable-quic --no-first-run",
    "--disable-background-networking --disable-component-update --disable-sync", sprintf("--user-data-dir=%s --remote-debugging-port=%d", folder, port)),
    folder, port, function(port) {
      close(socketConnection("127.0.0.1", port, timeout = 1L))
      TRUE
    })
}

start_mariadb <- function() {
  folder <- server_folder("mariadb")
  port <- free_port()
  data <- file.path(folder, "data")
  user <- system2("id", "-un", stdout = TRUE)
  run_quietly(sprintf("mariadb-install-db --no-defaults --user=%s --datadir=%s --auth-root-authentication-method=normal --skip-test-db", user, data))
  # Names are told apart as everywhere; text is compared without regard to case, as is usual there.
  made <- file.path(folder, "begin.sql")
  writeLines(c("CREATE DATABASE shop;", sprintf("CREATE USER 'shop'@'127.0.0.1' IDENTIFIED BY '%s';", server_password), "GRANT ALL ON shop.* TO 'shop'@'127.0.0.1';"), made)
  start_server("mariadb", sprintf("/usr/sbin/mariadbd --no-defaults --user=%s --datadir=%s --port=%d --bind-address=127.0.0.1 --socket=%s/s --init-file=%s --general-log=1 --general-log-file=%s/general.log",
    user, data, port, folder, made, folder), folder, port, function(port) DBI::dbDisconnect(mariadb_connection(port)))
}

mariadb_connection <- function(port = server("mariadb")$port) {
  DBI::dbConnect(RMariaDB::MariaDB(), host = "127.0.0.1", port = port, username = "shop", password = server_password, dbname = "shop")
}

# One of two servers that hold a part of the rows each.
start_shard <- function(i) {
  folder <- server_folder(paste0("shard", i))
  port <- shard_ports()[i]
  replica <- paste(sprintf("<shard><replica><host>127.0.0.1</host><port>%d</port></replica></shard>", shard_ports()), collapse = "")
  writeLines(c("<yandex>", sprintf("<logger><level>warning</level><log>%s/log</log><errorlog>%s/errors</errorlog></logger>", folder, folder),
    sprintf("<tcp_port>%d</tcp_port><http_port>%d</http_port><interserver_http_port>%d</interserver_http_port><listen_host>127.0.0.1</listen_host>", port, free_port(), free_port()),
    sprintf("<path>%s/data/</path><tmp_path>%s/tmp/</tmp_path><mark_cache_size>50000000</mark_cache_size><timezone>UTC</timezone>", folder, folder),
    "<users_config>users.xml</users_config><default_profile>default</default_profile><default_database>default</default_database>",
    sprintf("<remote_servers><shop>%s</shop></remote_servers>", replica),
    "<query_log><database>system</database><table>query_log</table><flush_interval_milliseconds>200</flush_interval_milliseconds></query_log>", "</yandex>"),
    file.path(folder, "config.xml"))
  writeLines(c("<yandex><profiles><default><log_queries>1</log_queries></default></profiles>",
    "<users><default><password></password><networks><ip>127.0.0.1</ip></networks><profile>default</profile><quota>default</quota></default></users>",
    "<quotas><default/></quotas></yandex>"), file.path(folder, "users.xml"))
  start_server(paste0("shard", i), sprintf("clickhouse-server --config-file=%s/config.xml", folder), folder, port, function(port) {
    close(socketConnection("127.0.0.1", port, timeout = 1L))
    TRUE
  })
}

# Each server knows where both are.
shard_ports <- local({
  ports <- NULL
  function() {
    if (is.null(ports)) ports <<- c(free_port(), free_port())
    ports
  }
})

#' Runs code in an R of its own, with the library in which the cluster's driver is.
#' @param code Expression; it may use what the helpers define, and `con` and `others`, connections to the two servers.
#' @return Its value.
#' @noRd
on_cluster <- function(code, given = list()) {
  ports <- c(server("shard1")$port, server("shard2")$port)
  folder <- withr::local_tempdir()
  saveRDS(list(code = code, given = given, ports = ports, helpers = file.path(checkout_folder(), "tests", "testthat")), file.path(folder, "asked.rds"))
  writeLines(c("library(testthat)", "library(eggcrate)", sprintf("asked <- readRDS(%s)", deparse(file.path(folder, "asked.rds"))),
    "options(cli.unicode = FALSE, cli.num_colors = 1L, width = 80L)", "env <- new.env(parent = asNamespace(\"eggcrate\"))",
    "for (file in list.files(asked$helpers, \"^helper-(database|pass)\", full.names = TRUE)) sys.source(file, env)",
    "list2env(asked$given, env)",
    "connections <- lapply(asked$ports, function(port) DBI::dbConnect(RClickhouse::clickhouse(), host = \"127.0.0.1\", port = port))",
    "env$con <- connections[[1L]]; env$others <- connections[-1L]; env$port <- asked$ports[1L]",
    sprintf("saveRDS(eval(asked$code, env), %s)", deparse(file.path(folder, "said.rds"))),
    "for (con in connections) DBI::dbDisconnect(con)"), file.path(folder, "ask.R"))
  library <- file.path(checkout_folder(), ".lib-cluster")
  libs <- paste(c(if (dir.exists(library)) library, .libPaths()), collapse = .Platform$path.sep)
  said <- withr::with_envvar(c(R_LIBS = libs, R_TESTS = ""), suppressWarnings(system2(file.path(R.home("bin"), "Rscript"), c("--vanilla", shQuote(file.path(folder, "ask.R"))),
    stdout = TRUE, stderr = TRUE, timeout = 600)))
  if (!file.exists(file.path(folder, "said.rds"))) stop(paste(utils::tail(said, 20L), collapse = "\n"))
  readRDS(file.path(folder, "said.rds"))
}
