// Writes src/api/words.json: what the API's description says of each part of a document, a sentence a number.
import { readFileSync, writeFileSync } from "node:fs";

const { schemas } = JSON.parse(readFileSync("src/api/openapi.json", "utf8")).components;
const words = {};
for (const [part, { properties = {} }] of Object.entries(schemas)) {
  if (/(Out|In|List|Card)$/.test(part)) continue; // of answers, not of documents
  for (const [key, { description }] of Object.entries(properties))
    if (description) (words[part] ??= {})[key] = description;
}
writeFileSync(process.argv[2] ?? "src/api/words.json", `${JSON.stringify(words, null, 2)}\n`);
