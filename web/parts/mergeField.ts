import { Node } from '@tiptap/core';
import { MERGE_FIELD } from '../../core/merge/document.ts';

/** The merge field as the editor holds it: one unbreakable chip. @param label the field's name for people */
export function mergeFieldNode(label: (key: string) => string) {
  return Node.create({
    name: MERGE_FIELD,
    group: 'inline',
    inline: true,
    atom: true,
    addAttributes() {
      return { field: { default: '' }, fallback: { default: '' } };
    },
    parseHTML() {
      return [
        {
          tag: 'span[data-field]',
          getAttrs: (element) => ({
            field: element.dataset.field ?? '',
            fallback: element.dataset.fallback ?? '',
          }),
        },
      ];
    },
    renderHTML({ node }) {
      const { field, fallback } = node.attrs as { field: string; fallback: string };
      return [
        'span',
        { 'data-field': field, 'data-fallback': fallback, class: 'merge-chip' },
        fallback ? `${label(field)}, else “${fallback}”` : label(field),
      ];
    },
    renderText({ node }) {
      return `[${label(String(node.attrs.field))}]`;
    },
  });
}
