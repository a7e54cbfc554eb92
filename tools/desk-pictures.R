# The desk in a browser, for docs/screenshots: at work, and two steps side by side.
#   Rscript tools/desk-pictures.R ORDERS LAYOUT FOLDER

suppressMessages({
  library(testthat)
  library(eggcrate)
})
for (helper in c("command", "desk", "servers")) source(file.path("tests", "testthat", sprintf("helper-%s.R", helper)))
asked <- commandArgs(TRUE)

picture <- function(page, name, width, height) {
  page$b$Emulation$setDeviceMetricsOverride(width = width, height = height, deviceScaleFactor = 1, mobile = FALSE)
  page$js("document.activeElement.blur()")
  page$rest()
  data <- page$b$Page$captureScreenshot(format = "png")$data
  writeBin(jsonlite::base64_dec(data), file.path(asked[3L], name))
}

take <- function() {
  desk <- start_desk(c(asked[1L], "--layout", asked[2L]))
  page <- open_page(desk$address)
  page$choose("#sentence [data-field=kind]", "pareto")
  page$type("#sentence .condition .text", "category != \"Rope\"")
  page$js("(function(){var s=document.querySelector('.slide');s.value=60;s.dispatchEvent(new Event('input',{bubbles:true}));s.dispatchEvent(new Event('change',{bubbles:true}))})()")
  page$rest()
  page$click("#table tr[data-item='4'] .tick")
  picture(page, "desk.png", 1280, 800)
  page$b$Emulation$setDeviceMetricsOverride(width = 1600, height = 1000, deviceScaleFactor = 1, mobile = FALSE)
  page$choose("#sentence [data-field=kind]", "tiers")
  page$click("#trail li:nth-child(4) .beside")
  page$until("document.querySelector('#figure-there svg') !== null")
  # Drawn for the width that it has now.
  page$click("#trail li.here .go")
  picture(page, "desk-two-steps.png", 1600, 1000)
}
take()
