import { Node } from '@tiptap/core';
import { MERGE_FIELD, type MergeFieldAttrs } from '../../core/merge/document.ts';

/** The merge field as the editor holds it: one unbreakable chip. @param label the field's name for people */
export function mergeFieldNode(label: (key: string) => string) {
  return Node.create({
    name: MERGE_FIELD,
    group: 'inline',
    inline: true,
    atom: true,
    addAttributes() {
      return { field: { default: '' }, fallback: { default: '' }, format: { default: '' } };
    },
    parseHTML() {
      return [
        {
          tag: 'span[data-field]',
          getAttrs: (element) => ({
            field: element.dataset.field ?? '',
            fallback: element.dataset.fallback ?? '',
            format: element.dataset.format ?? '',
          }),
        },
      ];
    },
    renderHTML({ node }) {
      const { field, fallback, format } = node.attrs as MergeFieldAttrs;
      return [
        'span',
        { 'data-field': field, 'data-fallback': fallback, 'data-format': format, class: 'merge-chip' },
        [label(field), ...(format ? [format] : []), ...(fallback ? [`else “${fallback}”`] : [])].join(', '),
      ];
    },
    renderText({ node }) {
      return `[${label(String(node.attrs.field))}]`;
    },
  });
}
