import type { StreamParser } from "@codemirror/language";

/** The conditions of rules, as an editor colours them: texts, numbers, fields, signs. */
export const conditions: StreamParser<unknown> = {
  token(stream) {
    if (stream.eatSpace()) return null;
    if (stream.match(/^"(?:[^"\\]|\\.)*"?/)) return "string";
    if (stream.match(/^\d+/)) return "number";
    if (stream.match(/^(?:true|false|null)\b/)) return "atom";
    if (stream.match(/^(?:in|has|size|now|duration|timestamp)\b/)) return "keyword";
    if (stream.match(/^[a-z_]\w*(?:\.\w+)*/i)) return "variableName";
    if (stream.match(/^(?:&&|\|\||[=!<>]=?|[+\-?:])/)) return "operator";
    stream.next();
    return null;
  },
};
