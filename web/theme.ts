import { createVuetify } from 'vuetify';
import { aliases, mdi } from 'vuetify/iconsets/mdi-svg';

/** The colours and defaults of every control, in this one place. */
export const COLOURS = {
  page: '#F7F4EC',
  rail: '#EDE7D9',
  sheet: '#FFFEFB',
  ink: '#1F2B28',
  inkSoft: '#55625D',
  hairline: '#DAD3C2',
  strong: '#B9B09A',
  spruce: '#1F5547',
  indigo: '#34507E',
  ochre: '#94650F',
  brick: '#A63F26',
  straw: '#E3D2A8',
};

const field = { variant: 'outlined', density: 'compact', hideDetails: 'auto', color: 'primary' } as const;

export const vuetify = createVuetify({
  icons: { defaultSet: 'mdi', aliases, sets: { mdi } },
  theme: {
    defaultTheme: 'office',
    themes: {
      office: {
        dark: false,
        colors: {
          background: COLOURS.page,
          surface: COLOURS.sheet,
          primary: COLOURS.spruce,
          secondary: COLOURS.indigo,
          warning: COLOURS.ochre,
          error: COLOURS.brick,
          'on-background': COLOURS.ink,
          'on-surface': COLOURS.ink,
          'on-primary': '#FFFFFF',
        },
        variables: {
          'border-color': COLOURS.hairline,
          'border-opacity': 1,
          'high-emphasis-opacity': 1,
          'medium-emphasis-opacity': 0.8,
        },
      },
    },
  },
  defaults: {
    global: { ripple: false },
    VBtn: { rounded: 'sm', variant: 'outlined', density: 'comfortable', elevation: 0, class: 'text-none' },
    VTextField: field,
    VTextarea: field,
    VSelect: field,
    VAutocomplete: field,
    VCombobox: field,
    VCheckbox: { density: 'compact', hideDetails: true, color: 'primary' },
    VChip: { rounded: 'sm', variant: 'outlined', density: 'comfortable' },
    VCard: { rounded: 'sm', elevation: 0, border: true },
    VDialog: { maxWidth: 560 },
    VProgressLinear: { height: 9, color: 'primary', bgColor: COLOURS.rail, bgOpacity: 1 },
  },
});
