earlier_run <- function(folder, call = NULL) NULL
with_since <- function(result, since, study) result
earlier_facts <- function(result, study) NULL
verify_run <- function(path, folder, tell) NULL
