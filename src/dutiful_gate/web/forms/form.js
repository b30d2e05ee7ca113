// Sends a form without loading the page anew: faults stand under their fields, and what was typed stays.
"use strict";
const packed = (form, data) => form.enctype === "multipart/form-data" ? data : new URLSearchParams(data);
document.addEventListener("submit", async (event) => {
  const form = event.target, button = event.submitter;
  if (!form.matches("form[data-gated]")) return;
  if (button && button.hasAttribute("formnovalidate")) {
    // A row or a record more or less: the server draws the form, and only what it drew is put in its place.
    event.preventDefault();
    const data = new FormData(form, button);
    const reply = await fetch(form.action, {method: "POST", body: packed(form, data), headers: {accept: "text/html"}});
    const drawn = new DOMParser().parseFromString(await reply.text(), "text/html").querySelector("form[data-gated]");
    if (!drawn) return;
    form.replaceWith(drawn);
    const rows = drawn.querySelectorAll("[data-row]"), last = rows[rows.length - 1];
    const put = button.name === "put-in" && document.getElementById(`f-${button.value.replaceAll(".", "-")}`);
    const next = put ? put.querySelector("input:not([type=hidden]),select") : button.name === "add-row" && last ? last.querySelector("input:not([type=hidden]),select") : drawn.querySelector(`button[name="add-row"]`);
    if (next) next.focus();
    return;
  }
  event.preventDefault();
  const whole = form.querySelector('.fault[data-pointer=""]'), answer = form.querySelector(".answer");
  answer.replaceChildren();
  let reply;
  try {
    reply = await fetch(form.action, {method: "POST", body: packed(form, new FormData(form)), headers: {accept: "application/problem+json, text/html;q=0.5, */*;q=0.1"}});
  } catch { whole.textContent = form.dataset.lost; return; }
  form.querySelectorAll(".fault").forEach((each) => { each.textContent = ""; });
  form.querySelectorAll("[aria-invalid]").forEach((each) => each.removeAttribute("aria-invalid"));
  if (reply.ok) {
    if (reply.redirected) { location.assign(reply.url); return; }
    const text = await reply.text();
    if ((reply.headers.get("content-type") || "").startsWith("text/html")) { document.open(); document.write(text); document.close(); return; }
    // What is answered is no page: it is shown as it is.
    const said = document.createElement("p"), shown = document.createElement("pre");
    said.textContent = form.dataset.sent;
    shown.textContent = text;
    answer.append(said, ...(text ? [shown] : []));
    return;
  }
  let problem = {};
  try { problem = await reply.json(); } catch { /* told below */ }
  let first = null;
  for (const fault of problem.errors || []) {
    const inForm = fault.part === "form" || fault.part === "files", pointer = inForm ? decodeURIComponent(fault.pointer.slice(1)) : "";
    const place = [...form.querySelectorAll(".fault")].find((each) => each.dataset.pointer === pointer || (fault.part === "files" && each.dataset.pointer && pointer.startsWith(`${each.dataset.pointer}/`))) || whole;
    place.textContent += (place.textContent ? "; " : "") + fault.detail;
    const input = document.getElementById(place.id.replace(/-fault$/, ""));
    if (input && place !== whole) { input.setAttribute("aria-invalid", "true"); first = first || (input.matches("input,select") ? input : null); }
  }
  if (!(problem.errors || []).length) whole.textContent = problem.detail || form.dataset.failed.replace("{status}", reply.status);
  if (first) first.focus();
});
