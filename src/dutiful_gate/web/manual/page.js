"use strict";
(() => {
const data = JSON.parse(document.getElementById("page:data").textContent);
const under = data.at && location.pathname.endsWith(data.at) ? location.pathname.slice(0, -data.at.length) : "";
const origin = location.protocol === "file:" ? (data.servers[0] || "") : location.origin;
const root = (location.protocol === "file:" ? "" : under);
const TITLES = {path: "In the path", query: "In the query", headers: "In the headers", cookies: "In cookies", body: "In the body", form: "In the form", files: "Files"};
const KINDS = {list: "a list of", map: "values by name", tuple: "a list", either: "one of", json: "any JSON", record: "a record", choice: "one of a few"};
let numbers = 0;

// Elements: text is always text, never markup.
function make(tag, words, ...inside) {
  const made = document.createElement(tag);
  for (const [name, held] of Object.entries(words || {})) {
    if (held === undefined || held === null || held === false) continue;
    if (name.startsWith("on")) made.addEventListener(name.slice(2), held);
    else if (name === "class") made.className = held;
    else made.setAttribute(name, held === true ? "" : held);
  }
  made.append(...inside.filter((each) => each !== undefined && each !== null && each !== ""));
  return made;
}
const record = (node) => data.records[node.of];
const named = (node) => node.title || (node.is === "record" ? node.of : node.is === "choice" && node.of.length === 1 ? show(node.of[0]) : kind(node));
// In text there is no null: what is not sent is absent. Of what a form has no way to send there is none.
const TEXTS = ["path", "query", "headers", "cookies", "form"];
const needs = (field, part) => field.needed && !(part === "form" && field.unsent);

// Tables: what each value is, in words.
function kind(node, part) {
  if (!node) return "";
  const told = node.is === "list" ? `a list: ${kind(node.of, part)} each` : node.is === "map" ? `by name: ${kind(node.of)} each`
    : node.is === "either" ? node.of.map(kind).join(", or ") : node.is === "tuple" ? `a list: ${node.of.map(kind).join(", then ")}`
    : node.is === "choice" ? (node.of.length === 1 ? show(node.of[0]) : `one of ${node.of.map(show).join(", ")}`) : node.is === "record" ? `a record, ${node.of}` : node.words || KINDS[node.is];
  const exact = (node.words && node.is !== "record" && (node.rules || []).filter((rule) => rule.startsWith(node.words)).join("; ")) || told;
  return node.null && !TEXTS.includes(part) ? `${exact}, or null` : exact;
}
const show = (value) => typeof value === "string" ? value : JSON.stringify(value);
function notes(node) {
  const told = (node.rules || []).filter((rule) => !(node.words && rule.startsWith(node.words))).map((rule) => make("small", {}, rule));
  if (node.text) told.unshift(make("small", {}, node.text));
  if (node.is === "list" && node.of.rules) told.push(make("small", {}, `each ${node.of.rules.join(", ")}`));
  if (node.default !== undefined && node.default !== null) told.push(make("small", {}, `${node.default === "" ? "empty text" : Array.isArray(node.default) && !node.default.length ? "an empty list" : show(node.default)} where it is left out`));
  if (node.example !== undefined) told.push(make("small", {}, `such as ${show(node.example)}`));
  if (node.secret) told.push(make("small", {}, "a secret: never shown"));
  if (node.deprecated) told.push(make("small", {class: "old"}, "not for new work"));
  return told;
}
// Each record once: where it stands again, and where it holds itself, its name says what it is.
function rows(node, path, seen, made, part) {
  if (node.is === "record") {
    if (seen.has(node.of)) return made;
    seen.add(node.of);
    for (const field of record(node).fields || []) {
      const here = path ? `${path}.${field.name}` : field.name;
      made.push(make("tr", {}, make("th", {scope: "row"}, here), make("td", {}, kind(field, part), ...notes(field)), make("td", {}, needs(field, part) ? "yes" : "no")));
      rows(field, here, seen, made, part);
    }
  } else if (node.is === "list") rows(node.of, `${path}[]`, seen, made, part);
  else if (node.is === "map") rows(node.of, `${path}{}`, seen, made, part);
  else if (node.is === "either") for (const option of node.of) rows(option, option.is === "record" ? `${path}(${named(option)})` : path, seen, made, part);
  return made;
}
// What is long is folded: the first of it, and the rest once it is asked for.
function folded(held, most, place, what) {
  const rest = held.slice(most);
  if (rest.length < 3) { place.append(...held); return null; }
  place.append(...held.slice(0, most));
  const more = make("button", {type: "button", class: "more", onclick: () => { place.append(...rest); more.remove(); }}, `${rest.length} more ${what}`);
  addEventListener("beforeprint", () => more.click());
  return more;
}
function rulesOf(node, seen = []) {
  if (!node || seen.includes(node)) return [];
  const inner = node.is === "record" ? record(node) : null;
  const held = inner ? (inner.fields || []) : Array.isArray(node.of) && node.is !== "choice" ? node.of : typeof node.of === "object" ? [node.of] : [];
  return [...(inner && inner.rules || []), ...held.flatMap((each) => rulesOf(each, [...seen, node, ...(inner ? [inner] : [])].slice(-40)))];
}
function table(node, heading, part, most = 9) {
  const made = rows(node, "", new Set(), [], part);
  if (!made.length) return make("p", {}, kind(node, part), ...notes(node));
  const body = make("tbody", {}), more = folded(made, most, body, "rows");
  return make("div", {}, make("table", {}, make("caption", {class: "skip"}, heading), make("thead", {}, make("tr", {}, ...["Name", "What it is", "Needed"].map((word) => make("th", {scope: "col"}, word)))), body), more);
}

// Examples: a value of each kind, the shortest that says what it looks like.
function example(node, deep = 0) {
  if (node.example !== undefined) return node.example;
  if (node.is === "record" && record(node).example !== undefined) return record(node).example;
  if (node.default !== undefined) return node.default;
  if (node.is === "record") return deep > 4 ? {} : Object.fromEntries((record(node).fields || []).filter((each) => each.needed).map((each) => [each.name, example(each, deep + 1)]));
  if (node.is === "list") return [example(node.of, deep + 1)];
  if (node.is === "tuple") return node.of.map((each) => example(each, deep + 1));
  if (node.is === "map") return {};
  if (node.is === "either") return example(node.of[0], deep + 1);
  if (node.is === "choice") return node.of[0];
  if (node.is === "number") { const bound = (node.rules || []).join(" ").match(/-?\d+(\.\d+)?/); return bound ? Math.max(1, Math.floor(Number(bound[0]))) : 1; }
  if (node.is === "truth") return true;
  if (node.is === "file") return undefined;
  const such = [node.words, ...(node.rules || [])].join(" ").match(/such as (\S+)/);
  return such ? such[1].replace(/[;,]$/, "") : "text";
}

// Forms: an input for each value; each reads itself, and has a place for its fault.
function control(node, label, pointer, needed, fields, value, part) {
  const id = `i${++numbers}`, words = {id, name: pointer, "aria-describedby": `${id}f`};
  const fault = make("p", {class: "fault", id: `${id}f`});
  const caption = make("label", {for: id}, label, needed ? make("em", {}, " needed") : "");
  const exact = kind(node), hint = make("p", {class: "hint"}, [node.is === "choice" ? "" : exact, ...(node.rules || []).filter((rule) => !exact.includes(rule))].filter(Boolean).join("; "));
  let input, read;
  if (node.is === "record") return (needed ? group : perhaps)(node, label, pointer, fields, value, part);
  if (node.is === "either" && node.of.some((each) => each.is === "record")) return alternatives(node, label, pointer, needed, fields, value, part);
  if (node.is === "list" && pointer.split("/").length < 12) return several(node, label, pointer, fields, value, part);
  if (node.is === "choice" || node.is === "truth") {
    const options = node.is === "truth" ? [true, false] : node.of;
    input = make("select", words, ...(needed ? [] : [make("option", {value: ""}, "(left out)")]), ...options.map((each, at) => make("option", {value: String(at), selected: each === value}, show(each))));
    read = () => input.value === "" ? undefined : options[Number(input.value)];
  } else if (node.is === "file") {
    input = make("input", {...words, type: "file"});
    read = () => input.files[0];
  } else if (node.is === "number" || node.is === "text") {
    input = make("input", {...words, type: node.secret ? "password" : "text", inputmode: node.is === "number" ? "decimal" : null, autocomplete: "off", value: value === undefined || value === null ? "" : show(value)});
    read = () => input.value === "" ? (needed && node.is === "text" ? "" : undefined) : node.is === "number" && input.value.trim() !== "" && isFinite(input.value) ? Number(input.value) : input.value;
  } else {
    input = make("textarea", words);
    input.value = value === undefined ? "" : JSON.stringify(value, null, 1);
    read = () => { if (!input.value.trim()) return undefined; try { return JSON.parse(input.value); } catch { return input.value; } };
  }
  fields.push({pointer, input, fault, read, needed});
  return {box: make("div", {class: "field"}, caption, input, hint, fault), read};
}
// One of several: chosen, then asked for. What was typed into the others is let go.
function alternatives(node, label, pointer, needed, fields, value, part) {
  const id = `i${++numbers}`, fault = make("p", {class: "fault", id: `${id}f`}), place = make("div", {});
  const chosen = make("select", {id, "aria-describedby": `${id}f`, onchange: () => put()}, ...(needed ? [] : [make("option", {value: ""}, "(left out)")]), ...node.of.map((each, at) => make("option", {value: String(at)}, named(each))));
  let held = null;
  fields.push({pointer, input: chosen, fault, unnamed: true}, {pointer, rows: () => held ? [["", held.fields]] : []});
  const put = (given) => {
    held = null;
    place.replaceChildren();
    if (chosen.value === "") return;
    const option = node.of[Number(chosen.value)], own = [], made = control(option, named(option), "", true, own, given === undefined ? example(option) : given, part);
    held = {fields: own, read: made.read};
    place.append(made.box);
  };
  const at = value === undefined || value === null ? (needed ? 0 : -1) : Math.max(0, node.of.findIndex((each) => fits(each, value)));
  chosen.value = at < 0 ? "" : String(at);
  put(value);
  return {box: make("div", {class: "field"}, make("label", {for: id}, label, needed ? make("em", {}, " needed") : ""), chosen, fault, place), read: () => held ? held.read() : undefined};
}
// Whether an option of a union looks like the one that a value is of: it has its names, and its fixed words.
const fits = (node, value) => node.is !== "record" || typeof value !== "object" || value === null ? (node.is === "number" ? typeof value === "number" : node.is === "text" ? typeof value === "string" : node.is !== "record")
  : (record(node).fields || []).every((each) => value[each.name] === undefined ? !each.needed : each.is !== "choice" || each.of.includes(value[each.name])) && Object.keys(value).every((name) => (record(node).fields || []).some((each) => each.name === name));
function group(node, label, pointer, fields, value, part) {
  const fault = make("p", {class: "fault"});
  fields.push({pointer, fault});
  const held = (record(node).fields || []).map((field) => [field.name, control(field, field.title || field.name, `${pointer}/${escaped(field.name)}`, needs(field, part), fields, value === undefined || value === null ? undefined : value[field.name], part)]);
  const read = () => {
    const made = {};
    for (const [name, each] of held) { const one = each.read(); if (one !== undefined) made[name] = one; }
    return made;
  };
  return {box: make("fieldset", {}, make("legend", {}, label), fault, ...held.map(([, each]) => each.box)), read};
}
// A record that may be left out: its fields are there once it is wanted, since it may hold itself.
function perhaps(node, label, pointer, fields, value, part) {
  const fault = make("p", {class: "fault"}), place = make("div", {});
  let held = null;
  fields.push({pointer, fault}, {pointer, rows: () => held ? [["", held.fields]] : []});
  const put = (given) => {
    const own = [], made = group(node, label, "", own, given, part);
    held = {fields: own, read: made.read};
    place.replaceChildren(made.box, make("button", {type: "button", onclick: take}, `Leave ${label} out`));
    return own.find((each) => each.input);
  };
  const take = () => { held = null; place.replaceChildren(more); more.focus(); };
  const more = make("button", {type: "button", onclick: () => { const first = put(); if (first) first.input.focus(); }}, `Add ${label}`);
  if (value === undefined || value === null) place.append(more); else put(value);
  return {box: make("div", {class: "field"}, place, fault), read: () => held ? held.read() : undefined};
}
function several(node, label, pointer, fields, value, part) {
  const fault = make("p", {class: "fault"}), list = make("div", {});
  let items = [];
  fields.push({pointer, fault}, {pointer, rows: () => items.map((item, at) => [`/${at}`, item.fields])});
  const add = (held) => {
    const own = [], made = control(node.of, node.of.title || "item", "", true, own, held, part), item = {fields: own, read: made.read};
    const row = make("div", {class: "row"}, made.box, make("button", {type: "button", "aria-label": `Take ${label} away`, onclick: () => { items = items.filter((each) => each !== item); row.remove(); more.focus(); }}, "Take away"));
    items.push(item); list.append(row);
    return own[0];
  };
  const more = make("button", {type: "button", onclick: () => { const first = add(); if (first && first.input) first.input.focus(); }}, `Add to ${label}`);
  (Array.isArray(value) ? value : []).forEach(add);
  return {box: make("fieldset", {}, make("legend", {}, label), fault, list, more), read: () => items.length || Array.isArray(value) ? items.map((item) => item.read()) : undefined};
}
// Rows know their places only among each other: every field with its whole pointer, as it is now.
const everyField = (fields, base = "") => fields.flatMap((each) => each.rows ? each.rows().flatMap(([at, row]) => everyField(row, base + each.pointer + at)) : [{...each, pointer: base + each.pointer}]);
const escaped = (name) => String(name).replaceAll("~", "~0").replaceAll("/", "~1");

function trial(chapter) {
  const fields = {}, readers = {};
  const boxes = Object.entries(chapter.parts).map(([part, node]) => {
    fields[part] = [];
    const seed = part === "body" || part === "form" ? example(node) : part === "path" ? example(node) : undefined;
    const made = node.is === "record" ? group(node, TITLES[part], "", fields[part], seed, part) : control(node, TITLES[part], "", true, fields[part], seed, part);
    readers[part] = made.read;
    return made.box;
  });
  const answer = make("div", {role: "status"}), line = make("pre", {}), who = asker(chapter);
  if (who) boxes.unshift(who.box);
  // With `shows`, for the eyes of others: credentials are names of variables.
  const asked = (shows) => {
    const read = Object.fromEntries(Object.entries(readers).map(([part, each]) => [part, each() || {}]));
    let path = chapter.path.replace(/\{([^}]+)\}/g, (_, name) => encodeURIComponent(read.path && read.path[name] !== undefined ? read.path[name] : ""));
    const query = new URLSearchParams();
    for (const [name, held] of flatQuery(read.query || {})) query.append(name, held);
    const headers = Object.fromEntries(Object.entries(read.headers || {}).map(([name, held]) => [name, String(held)]));
    const cookies = Object.entries(read.cookies || {}).map(([name, held]) => [name, String(held)]);
    for (const [place, name, held] of who ? who.read(shows) : []) {
      if (place === "header") headers[name] = held; else if (place === "query") query.append(name, held); else cookies.push([name, held]);
    }
    if (String(query)) path += `?${query}`;
    let body;
    if (readers.body) { headers["content-type"] = chapter.takes[0]; body = JSON.stringify(read.body); }
    if (readers.files) {
      body = new FormData();
      for (const [name, held] of flat(read.form || {}, "", [])) body.append(name, held);
      for (const [name, held] of Object.entries(read.files || {})) for (const each of [].concat(held)) if (each) body.append(name, each);
    } else if (readers.form) { headers["content-type"] = "application/x-www-form-urlencoded"; body = String(new URLSearchParams(flat(read.form, "", []))); }
    return {url: origin + root + path, method: chapter.method, headers, body, cookies};
  };
  // A credential is a variable of the shell, which only double quotes let through.
  const quote = (text) => text.includes("$CREDENTIAL") ? `"${text.replace(/[\\"`]/g, "\\$&").replace(/\$(?!CREDENTIAL)/g, "\\$")}"` : `'${text.replaceAll("'", "'\\''")}'`;
  const command = () => { const {url, method, headers, body, cookies} = asked(true); return ["curl", "-X", method, quote(url.replaceAll("%24CREDENTIAL", "$CREDENTIAL")), ...Object.entries(headers).flatMap(([name, held]) => ["-H", quote(`${name}: ${held}`)]), ...(cookies.length ? ["-b", quote(cookies.map(([name, held]) => `${name}=${held}`).join("; "))] : []), ...(body === undefined ? [] : body instanceof FormData ? [...body].flatMap(([name, held]) => ["-F", quote(held instanceof File ? `${name}=@${held.name}` : `${name}=${held}`)]) : ["--data-raw", quote(body)])].join(" "); };
  const send = async (event) => {
    event.preventDefault();
    for (const each of everyField(Object.values(fields).flat())) { each.fault.textContent = ""; if (each.input) each.input.removeAttribute("aria-invalid"); }
    line.textContent = command();
    const {url, cookies, ...words} = asked();
    const secure = location.protocol === "https:" ? "; secure" : "";
    for (const [name, held] of cookies) document.cookie = `${name}=${held}; path=/; samesite=strict${secure}`;
    try {
      const reply = await fetch(url, words), text = await reply.text();
      let held = null;
      try { held = JSON.parse(text); } catch { /* it is shown as it is */ }
      answer.replaceChildren(make("p", {class: reply.ok ? "sound" : "bad"}, `${reply.status} ${reply.statusText}`), ...(text ? [make("pre", {}, held ? JSON.stringify(held, null, 2) : text)] : []));
      mark(held && held.errors || []);
    } catch (problem) { answer.replaceChildren(make("p", {class: "bad"}, `No answer: ${problem.message}`)); }
    for (const [name] of cookies) document.cookie = `${name}=; path=/; max-age=0`;
  };
  const mark = (errors) => {
    let first;
    for (const error of errors) {
      const pointer = decodeURIComponent((error.pointer || "#").slice(1));
      const held = everyField(fields[error.part] || []);
      const field = held.find((each) => each.pointer === pointer) || held.filter((each) => pointer.startsWith(each.pointer)).sort((one, other) => other.pointer.length - one.pointer.length)[0];
      if (!field) continue;
      field.fault.textContent += `${field.fault.textContent ? "; " : ""}${error.detail}`;
      if (field.input) { field.input.setAttribute("aria-invalid", "true"); first = first || field.input; }
    }
    if (first) first.focus();
  };
  const copied = make("span", {role: "status"});
  const copy = async () => { line.textContent = command(); try { await navigator.clipboard.writeText(line.textContent); copied.textContent = "copied"; } catch { copied.textContent = "copy it from below"; } };
  const name = () => everyField(Object.values(fields).flat()).forEach((each) => { if (each.input && !each.unnamed) each.input.name = each.pointer; });
  name();
  return make("form", {novalidate: true, onsubmit: send, onclick: name}, ...boxes, make("div", {class: "buttons"}, make("button", {class: "send"}, "Send"), make("button", {type: "button", onclick: copy}, "As a command line"), copied), line, answer);
}
// Who asks: what was typed is held here, as long as the page is open, and nowhere else.
const credentials = {};
function asker(chapter) {
  const ways = (chapter.who || []).filter((each) => each.length);
  if (!ways.length) return null;
  const id = `i${++numbers}`, place = make("div", {});
  const free = (chapter.who || []).some((each) => !each.length);
  const chosen = make("select", {id, onchange: () => put()}, ...ways.map((each, at) => make("option", {value: String(at)}, each.map(([name]) => data.schemes[name].title || name).join(" and "))), ...(free ? [make("option", {value: ""}, "nobody in particular")] : []));
  const inputOf = (key, label, words) => {
    const own = `i${++numbers}`;
    return make("div", {class: "field"}, make("label", {for: own}, label), make("input", {...words, id: own, autocomplete: "off", spellcheck: "false", value: credentials[key] || "", oninput: (event) => { credentials[key] = event.target.value; }}));
  };
  const put = () => {
    place.replaceChildren();
    for (const [name, scopes] of chosen.value === "" ? [] : ways[Number(chosen.value)]) {
      const scheme = data.schemes[name];
      if (scheme.type === "mutualTLS") { place.append(make("p", {class: "hint"}, `${name}: the browser shows its certificate, if it has one.`)); continue; }
      if (scheme.scheme === "basic") place.append(inputOf(`${name} user`, "Name", {type: "text"}), inputOf(name, "Password", {type: "password"}));
      else place.append(inputOf(name, scheme.type === "apiKey" ? `Key, in the ${scheme.in} ${scheme.name}` : "Token", {type: "password"}));
      if (scheme.description || scopes.length) place.append(make("p", {class: "hint"}, [scheme.description, scopes.length ? `scopes: ${scopes.join(", ")}` : ""].filter(Boolean).join(" ")));
    }
  };
  put();
  const read = (shows) => (chosen.value === "" ? [] : ways[Number(chosen.value)]).flatMap(([name]) => {
    const scheme = data.schemes[name], held = shows ? "$CREDENTIAL" : credentials[name] || "", user = credentials[`${name} user`] || "";
    if (scheme.type === "mutualTLS" || (!shows && !credentials[name] && !user)) return [];
    if (scheme.type === "apiKey") return [[scheme.in, scheme.name, held]];
    if (scheme.scheme === "basic") return [["header", "authorization", `Basic ${shows ? held : btoa(String.fromCharCode(...new TextEncoder().encode(`${user}:${held}`)))}`]];
    return [["header", "authorization", `Bearer ${held}`]];
  });
  return {box: make("fieldset", {class: "who"}, make("legend", {}, "Who asks"), make("div", {class: "field"}, make("label", {for: id}, "By"), chosen), place), read};
}
const flatQuery = (held) => Object.entries(held).flatMap(([name, each]) => Array.isArray(each) ? each.map((one) => [name, String(one)]) : each && typeof each === "object" ? flat(each, name, []) : [[name, String(each)]]);
function flat(held, name, pairs) {
  if (Array.isArray(held)) held.forEach((each, at) => flat(each, `${name}[${at}]`, pairs));
  else if (held && typeof held === "object") for (const [key, each] of Object.entries(held)) flat(each, name ? `${name}[${key}]` : key, pairs);
  else if (held !== undefined) pairs.push([name, String(held)]);
  return pairs;
}

// Chapters are written when they come near: two hundred of them cost no more than a few.
function fill(article, chapter) {
  const told = [];
  if (chapter.deprecated) told.push(make("p", {class: "old"}, "Not for new work."));
  if (chapter.text) told.push(...chapter.text.split("\n\n").map((text) => make("p", {}, text)));
  if (chapter.security) told.push(make("p", {}, `Asks for ${chapter.security.join(" or ")}.`));
  for (const [part, node] of Object.entries(chapter.parts)) {
    told.push(make("h3", {}, TITLES[part]));
    if (part === "body" || part === "form") told.push(make("p", {class: "hint"}, (chapter.takes || []).join(", ")));
    told.push(table(node, TITLES[part], part));
  }
  const rules = [...new Set([...(chapter.rules || []), ...Object.values(chapter.parts).flatMap((node) => rulesOf(node))])];
  if (rules.length) {
    const listed = make("ul", {class: "rules"}), more = folded(rules.map((rule) => make("li", {}, rule)), 5, listed, "rules");
    told.push(make("h3", {}, "Rules besides"), listed, ...(more ? [more] : []));
  }
  if (chapter.parts.body) told.push(make("h3", {}, "An example"), make("pre", {}, JSON.stringify(example(chapter.parts.body), null, 2)));
  told.push(make("h3", {}, "What is answered"));
  const answers = [];
  for (const answer of chapter.answers) answers.push(make("div", {}, make("h4", {}, `${answer.status} ${answer.phrase}`), ...(answer.is && !answer.media ? [] : [make("p", {class: "hint"}, answer.media ? answer.media + (answer.is ? ", one after the other:" : "") : "no content")]), ...(answer.is ? [table(answer.is, answer.phrase, "", 5)] : []), ...(answer.headers ? [make("p", {class: "hint"}, "with headers"), table(answer.headers, `Headers of ${answer.status}`, "", 4)] : [])));
  const answered = make("div", {}), others = folded(answers, 2, answered, "answers");
  told.push(answered, ...(others ? [others] : []));
  const problems = make("div", {}), untold = folded((chapter.problems || []).map((told) => make("p", {}, told)), 4, problems, "problems");
  if (chapter.version) told.push(make("p", {}, chapter.version));
  told.push(make("h4", {}, "Refused"), problems, ...(untold ? [untold] : []), make("p", {class: "hint"}, "A problem (RFC 9457), with each fault at its place: a 4xx status, application/problem+json."));
  const box = make("details", {class: "trial"}, make("summary", {}, "Try it"));
  box.addEventListener("toggle", () => { if (box.open && box.children.length === 1) box.append(trial(chapter)); });
  article.append(...told, box);
  // A chapter is three screens at most, before the rest of it is asked for.
  const top = article.getBoundingClientRect().top, end = told.findIndex((each) => each.getBoundingClientRect().bottom - top > 2.6 * innerHeight);
  const rest = end < 0 ? [] : told.slice(Math.max(end, 1));
  if (rest.length) {
    const more = make("button", {type: "button", class: "more", onclick: () => { rest.forEach((each) => { each.hidden = false; }); more.remove(); }}, "More of this chapter");
    rest.forEach((each) => { each.hidden = true; });
    box.before(more);
    addEventListener("beforeprint", () => more.click());
  }
  article.dataset.filled = "1";
}

const cover = document.getElementById("page:cover");
cover.append(make("h1", {}, data.title), make("p", {}, `Version ${data.version}. `, data.described ? make("a", {href: root + data.described}, "The description for programs") : ""), ...(data.text ? [make("p", {}, data.text)] : []));
const book = document.getElementById("page:book"), list = document.getElementById("page:list");
book.replaceChildren();
const tags = [...new Set(data.chapters.flatMap((each) => each.tags || [""]))];
const articles = [], sections = [];
tags.forEach((tag, at) => {
  const items = [];
  data.chapters.filter((each) => (each.tags || [""])[0] === tag).forEach((chapter, of) => {
    const number = `${at + 1}.${of + 1}`, title = chapter.summary || `${chapter.method} ${chapter.path}`;
    const article = make("article", {id: chapter.name, "aria-labelledby": `${chapter.name}-title`}, make("h2", {id: `${chapter.name}-title`}, make("b", {}, number), title), make("p", {class: "line"}, make("i", {}, chapter.method.toLowerCase()), chapter.path));
    const link = make("a", {href: `#${chapter.name}`}, make("b", {}, number), make("span", {}, title, chapter.summary ? make("i", {}, chapter.method.toLowerCase()) : ""));
    const item = make("li", {}, link);
    items.push(item); book.append(article);
    articles.push({article, chapter, link, item, words: JSON.stringify(chapter).toLowerCase()});
  });
  if (items.length) {
    const section = make("section", {}, make("h2", {}, tag || "Endpoints"), make("ol", {}, ...items));
    sections.push([section, items]); list.append(section);
  }
});
const open = (entry) => { if (!entry.article.dataset.filled) fill(entry.article, entry.chapter); };
// What was asked for stays in view while chapters above it are written, until the reader moves.
let pinned = null;
const near = new IntersectionObserver((seen) => { seen.filter((each) => each.isIntersecting).forEach((each) => open(articles.find((one) => one.article === each.target))); if (pinned) pinned.scrollIntoView(); }, {rootMargin: "600px"});
["wheel", "touchstart", "pointerdown", "keydown"].forEach((each) => addEventListener(each, () => { pinned = null; }, {passive: true, capture: true}));
articles.forEach((each) => near.observe(each.article));
const shown = () => { const entry = articles.find((each) => `#${each.chapter.name}` === decodeURIComponent(location.hash)); if (entry) { open(entry); pinned = entry.article; pinned.scrollIntoView(); setTimeout(() => { pinned = null; }, 1500); articles.forEach((each) => each.link.removeAttribute("aria-current")); entry.link.setAttribute("aria-current", "true"); } };
addEventListener("hashchange", shown);
addEventListener("beforeprint", () => articles.forEach(open));
shown();
const nothing = make("p", {class: "nothing", hidden: true}, "No chapter has these words. ", make("button", {type: "button", onclick: () => { search.value = ""; search.dispatchEvent(new Event("input")); search.focus(); }}, "Show all chapters"));
book.prepend(nothing);
const search = document.getElementById("page:search"), hits = document.getElementById("page:hits");
search.addEventListener("input", () => {
  const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
  let count = 0;
  for (const each of articles) { const found = words.every((word) => each.words.includes(word)); each.item.hidden = each.article.hidden = !found; count += found; }
  for (const [section, items] of sections) section.hidden = items.every((item) => item.hidden);
  nothing.hidden = count > 0;
  hits.textContent = words.length ? `${count} of ${articles.length} chapters` : "";
});
if (matchMedia("(max-width: 52rem)").matches) document.getElementById("page:leaf").open = false;
})();
