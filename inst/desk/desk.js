// The page of the desk. It shows what it is sent and says what was done; it reckons nothing.
(function () {
  "use strict";

  var byId = function (id) { return document.getElementById(id); };
  var all = function (selector, within) { return Array.prototype.slice.call((within || document).querySelectorAll(selector)); };

  var sent = 0, answered = 0, waiting = null, lastField = null, checkTimer = null, workTimer = null;
  var socket, places = { here: null, there: null }, hints = {}, picked = [], sentAt = 0;

  // Who we are, so that a page that is read again finds its trail.
  function tab() {
    var id = sessionStorage.getItem("desk");
    if (!id) {
      id = Array.prototype.map.call(crypto.getRandomValues(new Uint8Array(12)), function (b) { return b.toString(16); }).join("-");
      sessionStorage.setItem("desk", id);
    }
    return id;
  }

  // Saying ----------------------------------------------------------------

  // One act at a time. What moves is sent as it stands when there is time; everything else is sent in its turn.
  var queue = [];

  // Whether anything is still to come; tests and stylesheets may look at it.
  var drawing = false;
  function busy() {
    document.documentElement.setAttribute("data-busy", sent !== answered || queue.length || waiting || drawing ? "yes" : "no");
  }

  function act(message) {
    if (message.what === "slide" || message.what === "check") {
      waiting = (waiting && waiting.final) ? waiting : message;
      if (message.what === "slide" && message.final) waiting = message;
    } else {
      queue.push(message);
    }
    next();
    busy();
  }

  function next() {
    if (sent !== answered) return;
    var message = queue.shift();
    if (!message) { message = waiting; waiting = null; }
    if (!message) return;
    sent += 1;
    message.n = sent;
    message.width = byId("figure").clientWidth;
    sentAt = performance.now();
    workTimer = setTimeout(function () { byId("working").hidden = false; }, 400);
    socket.send(JSON.stringify(message));
  }

  function question() {
    var args = {}, kind = "standings";
    all("#sentence [data-field]").forEach(function (field) {
      var name = field.getAttribute("data-field");
      if (name === "kind") kind = field.value;
      else if (field.type === "checkbox") { if (field.checked) args[name] = true; }
      else if (field.value.trim() !== "") args[name] = field.value;
    });
    var conditions = all("#sentence .condition").map(function (line) {
      return { text: line.querySelector(".text").value, on: line.querySelector(".on").checked };
    });
    var rows = document.querySelector("[data-rows]"), chart = document.querySelector("[data-chart]");
    return { kind: kind, args: args, conditions: conditions, rows: rows ? rows.value : "10", chart: chart ? chart.value : "" };
  }

  function ask() {
    clearTimeout(checkTimer);
    if (waiting && waiting.what === "check") waiting = null;
    act({ what: "ask", question: question() });
  }

  // Showing ---------------------------------------------------------------

  var keys = ["data-field", "data-threshold", "data-only", "data-how", "data-by", "data-to", "data-chart", "data-rows", "data-item", "aria-label", "class"];

  var replacing = false;

  // What has the focus keeps it when what stands around it is made anew.
  function replaced(id, html) {
    var box = byId(id), active = document.activeElement, find = null, start = null;
    if (!box) return;
    if (active && box.contains(active) && active !== box) {
      find = keys.filter(function (key) { return active.hasAttribute(key); }).map(function (key) {
        return "[" + key + "=" + JSON.stringify(active.getAttribute(key)) + "]";
      }).join("");
      find = active.tagName.toLowerCase() + find + (active.type && active.tagName === "INPUT" ? "[type=" + active.type + "]" : "");
      try { start = active.selectionStart; } catch (e) { start = null; }
    }
    // A field that goes while it was in use reports a change, of what stood there before.
    replacing = true;
    box.innerHTML = html;
    replacing = false;
    if (find) {
      var again = box.querySelector(find);
      if (again) {
        again.focus({ preventScroll: true });
        if (start !== null && again.setSelectionRange && again.type === "text") again.setSelectionRange(start, start);
      }
    }
  }

  function wrongs(wrong) {
    all("#sentence .wrong").forEach(function (line) { line.textContent = ""; });
    all("#sentence [aria-invalid]").forEach(function (field) { field.removeAttribute("aria-invalid"); });
    Object.keys(wrong || {}).forEach(function (name) {
      var id = "wrong-" + name.replace(" ", "-"), line = byId(id) || byId("wrong-question");
      line.textContent = (line.textContent ? line.textContent + " " : "") + wrong[name];
      all("#sentence [aria-describedby='" + id + "']").forEach(function (field) { field.setAttribute("aria-invalid", "true"); });
    });
    var old = Object.keys(wrong || {}).length > 0;
    document.querySelector(".answer.here").classList.toggle("old", old);
  }

  function ticks() {
    all("#table tr[data-item]").forEach(function (row) {
      var item = Number(row.getAttribute("data-item")), cell = document.createElement("td"), tick = document.createElement("input");
      var name = row.querySelector("td.name") || row.querySelector("th");
      tick.type = "checkbox";
      tick.className = "tick";
      tick.setAttribute("aria-label", "pick " + (name ? name.textContent : item));
      cell.appendChild(tick);
      row.insertBefore(cell, row.firstChild);
    });
    // Cells of a grid are buttons: of the name of the row, of the column, and the figure.
    all("#table td[data-item]").forEach(function (cell) {
      var button = document.createElement("button"), heads = all("thead th", cell.closest("table"));
      var row = cell.closest("tr").querySelector("th"), head = heads[cell.cellIndex];
      button.type = "button";
      button.className = "cell";
      button.setAttribute("aria-pressed", "false");
      button.setAttribute("aria-label", "pick " + [row, head, cell].filter(Boolean).map(function (part) { return part.textContent; }).join(", "));
      while (cell.firstChild) button.appendChild(cell.firstChild);
      cell.appendChild(button);
    });
    all("#table table").forEach(function (table) {
      if (!table.querySelector("tr[data-item]")) return;
      all("tr", table).forEach(function (row) {
        if (!row.hasAttribute("data-item") && !row.classList.contains("group")) row.insertBefore(document.createElement("td"), row.firstChild);
      });
      all("tr.group th", table).forEach(function (th) { th.colSpan += 1; });
    });
  }

  function showPicked(rows) {
    picked = rows || [];
    all("#table tr[data-item]").forEach(function (row) {
      var on = picked.indexOf(Number(row.getAttribute("data-item"))) >= 0;
      row.classList.toggle("chosen", on);
      row.querySelector(".tick").checked = on;
    });
    all("#table td[data-item]").forEach(function (cell) {
      var on = picked.indexOf(Number(cell.getAttribute("data-item"))) >= 0;
      cell.classList.toggle("chosen", on);
      cell.querySelector("button").setAttribute("aria-pressed", on ? "true" : "false");
    });
    all("#figure .area").forEach(function (area) {
      area.classList.toggle("chosen", picked.indexOf(Number(area.getAttribute("data-item"))) >= 0);
    });
  }

  // The reply has an older value. Keep the threshold that the user has moved since.
  function keepMoved() {
    if (!waiting || waiting.what !== "slide") return;
    all("[data-threshold='" + waiting.id + "']").forEach(function (field) { field.value = waiting.value; });
  }

  function shown(message) {
    if (message.progress) { byId("working").hidden = false; byId("working").querySelector("span").textContent = message.progress + " " + (message.part === null ? "" : Math.round(100 * message.part) + " % "); return; }
    if (message.n && message.n < answered) return;
    var html = message.html || {};
    Object.keys(html).forEach(function (id) { replaced(id, html[id]); });
    keepMoved();
    if (html.table !== undefined) ticks();
    if (message.wronged) wrongs(message.wrong);
    if (message.picked !== undefined) showPicked(message.picked);
    if (html.trail !== undefined) { var here = document.querySelector("#trail li.here"); if (here) here.parentNode.scrollTop = here.offsetTop - here.parentNode.offsetTop - 60; }
    if (message.said) byId("said").textContent = message.said;
    if (message.word) { byId("said").textContent = message.word; word(message.word); }
    if (message.stale) document.querySelector(".answer.here").classList.add("old");
    if (message.there) there(message.there);
    if (message.figure) figure("here", message.figure);
    if (message.figure_there) figure("there", message.figure_there);
    if (message.take) take(message.take);
    if (message.draws !== undefined && message.n > answered) {
      answered = message.n;
      drawing = drawing || message.draws;
      document.documentElement.setAttribute("data-answered", answered);
      document.documentElement.setAttribute("data-took", Math.round(performance.now() - sentAt));
      clearTimeout(workTimer);
      byId("working").hidden = true;
      byId("working").querySelector("span").textContent = "Working ";
      next();
    }
    if (message.drawn) drawing = false;
    busy();
    if (message.figure) {
      document.documentElement.setAttribute("data-drew", Math.round(performance.now() - sentAt));
    }
  }

  function there(other) {
    byId("there").hidden = !other.shown;
    document.querySelector(".answers").classList.toggle("two", other.shown);
    byId("finding-there").innerHTML = other.shown ? other.finding : "";
    byId("table-there").innerHTML = other.shown && other.table ? other.table : "";
    if (!other.shown) byId("figure-there").innerHTML = "";
  }

  function word(text) {
    var line = byId("wrong-question");
    if (line) line.textContent = text;
  }

  function take(address) {
    var link = document.createElement("a");
    link.href = address;
    link.setAttribute("download", "");
    document.body.appendChild(link);
    link.click();
    link.remove();
  }

  // Figures ---------------------------------------------------------------

  function figure(where, message) {
    var box = byId(where === "here" ? "figure" : "figure-there");
    box.innerHTML = message.svg || "";
    if (message.note) { var note = document.createElement("p"); note.className = "note"; note.textContent = message.note; box.appendChild(note); }
    if (where !== "here") return;
    hints = message.hints || {};
    if (!message.areas) return;
    var layer = document.createElement("div");
    layer.className = "areas";
    layer.setAttribute("aria-hidden", "true");
    message.areas.row.forEach(function (row, i) {
      var area = document.createElement("div");
      area.className = "area";
      area.setAttribute("data-item", row);
      ["left", "top", "width", "height"].forEach(function (side) { area.style[side] = 100 * message.areas[side][i] + "%"; });
      layer.appendChild(area);
    });
    box.appendChild(layer);
    boxes(layer, message.picks !== false);
    showPicked(picked);
  }

  function hint(item, x, y) {
    var box = byId("hint"), lines = hints[item];
    if (!lines) { box.hidden = true; return; }
    box.textContent = "";
    lines.forEach(function (line, i) {
      var part = document.createElement(i === 0 ? "strong" : "div");
      part.textContent = line;
      box.appendChild(part);
    });
    box.hidden = false;
    box.style.left = Math.min(x + 14, window.innerWidth - box.offsetWidth - 8) + "px";
    box.style.top = Math.min(y + 14, window.innerHeight - box.offsetHeight - 8) + "px";
  }

  // A click picks, a box around several picks them all.
  function boxes(layer, picks) {
    var start = null, frame = null;
    layer.addEventListener("pointermove", function (event) {
      var area = event.target.closest(".area");
      if (area && !start) hint(area.getAttribute("data-item"), event.clientX, event.clientY); else byId("hint").hidden = true;
      if (!start) return;
      var at = layer.getBoundingClientRect(), x = event.clientX - at.left, y = event.clientY - at.top;
      if (!frame && Math.abs(x - start.x) + Math.abs(y - start.y) < 6) return;
      if (!frame) { frame = document.createElement("div"); frame.className = "frame"; layer.appendChild(frame); }
      frame.style.left = Math.min(x, start.x) + "px"; frame.style.top = Math.min(y, start.y) + "px";
      frame.style.width = Math.abs(x - start.x) + "px"; frame.style.height = Math.abs(y - start.y) + "px";
    });
    layer.addEventListener("pointerleave", function () { byId("hint").hidden = true; });
    layer.addEventListener("pointerdown", function (event) {
      if (!picks) return;
      var at = layer.getBoundingClientRect();
      start = { x: event.clientX - at.left, y: event.clientY - at.top };
      layer.setPointerCapture(event.pointerId);
      event.preventDefault();
    });
    layer.addEventListener("pointerup", function (event) {
      if (!start) return;
      if (frame) {
        var box = frame.getBoundingClientRect(), rows = [];
        all(".area", layer).forEach(function (area) {
          var own = area.getBoundingClientRect();
          if (own.left < box.right && own.right > box.left && own.top < box.bottom && own.bottom > box.top) rows.push(Number(area.getAttribute("data-item")));
        });
        frame.remove();
        frame = null;
        act({ what: "pick", rows: rows, how: event.shiftKey || event.ctrlKey ? "also" : "these" });
      } else {
        var area = document.elementsFromPoint(event.clientX, event.clientY).filter(function (e) { return e.classList.contains("area"); })[0];
        if (area) act({ what: "pick", rows: [Number(area.getAttribute("data-item"))], how: "toggle" });
      }
      start = null;
    });
  }

  // Doing -----------------------------------------------------------------

  function chosen() {
    return all("#trail .chosen").filter(function (box) { return box.checked; }).map(function (box) { return Number(box.value); });
  }

  function onClick(event) {
    var button = event.target.closest("button");
    if (!button) return;
    if (button.classList.contains("go")) act({ what: "go", to: Number(button.getAttribute("data-to")) });
    else if (button.classList.contains("beside")) act({ what: "beside", to: Number(button.getAttribute("data-to")) });
    else if (button.classList.contains("rename")) rename(button);
    else if (button.classList.contains("only")) act({ what: "only", selection: button.getAttribute("data-only") });
    else if (button.classList.contains("takes")) act({ what: "take", form: button.getAttribute("data-form"), chosen: chosen() });
    else if (button.classList.contains("cell")) act({ what: "pick", rows: [Number(button.closest("td").getAttribute("data-item"))], how: "toggle" });
    else if (button.classList.contains("clear")) act({ what: "pick", rows: [], how: "none" });
    else if (button.hasAttribute("data-how")) act({ what: "follow", how: button.getAttribute("data-how"), by: button.getAttribute("data-by") });
    else if (button.classList.contains("away")) { button.closest(".condition").querySelector(".text").value = ""; ask(); }
    else if (button.classList.contains("column")) insert(button.getAttribute("data-insert"));
    else if (button.id === "stop") fetch("stop" + window.location.search);
  }

  function insert(text) {
    var field = lastField && document.body.contains(lastField) ? lastField : document.querySelector("#sentence [data-field=by]");
    if (!field) return;
    var start = field.selectionStart === null ? field.value.length : field.selectionStart, end = field.selectionEnd || start;
    field.value = field.value.slice(0, start) + text + field.value.slice(end);
    field.focus();
    field.setSelectionRange(start + text.length, start + text.length);
    typed(field);
  }

  function rename(button) {
    var at = Number(button.getAttribute("data-at")), field = document.createElement("input");
    field.type = "text";
    field.className = "naming";
    field.setAttribute("aria-label", "name of step " + at);
    button.replaceWith(field);
    field.focus();
    var done = false, finish = function (keep) {
      if (done) return;
      done = true;
      act(keep ? { what: "name", at: at, name: field.value } : { what: "name", at: at, name: "" });
    };
    field.addEventListener("keydown", function (event) {
      if (event.key === "Enter") { event.preventDefault(); finish(true); }
      if (event.key === "Escape") finish(false);
    });
    field.addEventListener("blur", function () { finish(true); });
  }

  function typed(field) {
    // The last condition is a place for a new one: there is always one more.
    var line = field.closest(".condition");
    if (line && !line.nextElementSibling && field.value.trim() !== "") {
      var more = line.cloneNode(true), n = all("#sentence .condition").length + 1;
      more.querySelector(".text").value = "";
      more.querySelector(".wrong").textContent = "";
      more.querySelector(".wrong").id = "wrong-condition-" + n;
      more.querySelector(".text").setAttribute("aria-describedby", "wrong-condition-" + n);
      more.querySelector(".text").setAttribute("aria-label", "condition " + n);
      line.parentNode.appendChild(more);
    }
    clearTimeout(checkTimer);
    checkTimer = setTimeout(function () { act({ what: "check", question: question() }); }, 300);
  }

  function onInput(event) {
    var field = event.target;
    if (field.hasAttribute("data-threshold")) {
      all("[data-threshold='" + field.getAttribute("data-threshold") + "']").forEach(function (other) { if (other !== field) other.value = field.value; });
      if (field.value !== "" && field.checkValidity()) act({ what: "slide", id: field.getAttribute("data-threshold"), value: Number(field.value), final: false });
    } else if (field.closest("#sentence") && field.tagName !== "SELECT" && field.type !== "checkbox") {
      lastField = field;
      typed(field);
    }
  }

  function onChange(event) {
    var field = event.target;
    if (replacing) return;
    if (field.hasAttribute("data-threshold")) {
      if (field.value !== "") act({ what: "slide", id: field.getAttribute("data-threshold"), value: Number(field.value), final: true });
    } else if (field.classList.contains("tick")) {
      act({ what: "pick", rows: [Number(field.closest("tr").getAttribute("data-item"))], how: "toggle" });
    } else if (field.closest("#sentence") || field.hasAttribute("data-rows") || field.hasAttribute("data-chart")) {
      ask();
    }
  }

  document.addEventListener("click", onClick);
  document.addEventListener("input", onInput);
  document.addEventListener("change", onChange);
  document.addEventListener("focusin", function (event) { if (event.target.closest && event.target.closest("#sentence") && event.target.type === "text") lastField = event.target; });
  document.addEventListener("submit", function (event) { event.preventDefault(); });
  document.addEventListener("keydown", function (event) {
    if (event.key === "Escape") byId("hint").hidden = true;
    // Enter asks, wherever in the question it is pressed.
    if (event.key === "Enter" && event.target.matches && event.target.matches("#sentence input")) { event.preventDefault(); ask(); }
  });

  function ended() {
    document.body.classList.add("ended");
    byId("said").textContent = "The desk has ended.";
    var note = document.createElement("p");
    note.className = "ended-note";
    note.setAttribute("role", "alert");
    note.textContent = "The desk has ended. Start it again to go on; what was handed over is safe.";
    byId("desk").insertBefore(note, byId("desk").firstChild);
  }

  socket = new WebSocket(location.origin.replace(/^http/, "ws") + "/" + location.search);
  socket.onopen = function () { act({ what: "hello", tab: tab() }); };
  socket.onmessage = function (event) { shown(JSON.parse(event.data)); };
  socket.onclose = ended;
})();
