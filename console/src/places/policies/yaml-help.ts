import { autocompletion, type CompletionContext, type CompletionResult } from "@codemirror/autocomplete";
import { hoverTooltip } from "@codemirror/view";
import { choicesAt, pathAt, type Schema, schemaAt, wordsOf } from "./schema";

/** Completion and help on hover in the YAML, from the JSON Schema of policies once it was read. */
export function yamlHelp(schema: () => Schema | undefined) {
  const complete = (context: CompletionContext): CompletionResult | null => {
    const root = schema();
    const line = context.state.doc.lineAt(context.pos);
    if (!root || (!context.explicit && !context.matchBefore(/[\w-]+/))) return null;
    const lines = context.state.doc.toString().split("\n");
    const found = choicesAt(root, lines, line.number - 1, context.pos - line.from);
    if (!found || found.choices.length === 0) return null;
    return {
      from: line.from + found.from,
      options: found.choices.map((c) => ({
        label: c.label,
        apply: c.key ? `${c.label}: ` : c.label,
        ...(c.info && { info: c.info }),
      })),
    };
  };
  const hover = hoverTooltip((view, position) => {
    const root = schema();
    const line = view.state.doc.lineAt(position);
    const key = /^(\s*(?:- )?)([\w-]+):/.exec(line.text);
    if (!root || !key?.[2] || position > line.from + key[0].length) return null;
    const lines = view.state.doc.toString().split("\n");
    const start = key[1]?.length ?? 0;
    const node = schemaAt(root, pathAt(lines, line.number - 1, start + 1))?.properties?.[key[2]];
    const words = node && wordsOf(node.$ref ? (root.$defs?.[node.$ref.replace("#/$defs/", "")] ?? node) : node);
    if (!words) return null;
    return {
      pos: line.from + start,
      end: line.from + start + key[2].length,
      create: () => {
        const dom = document.createElement("div");
        dom.className = "px-2 py-1 max-w-96";
        dom.textContent = words;
        return { dom };
      },
    };
  });
  return [autocompletion({ override: [complete], icons: false }), hover];
}
