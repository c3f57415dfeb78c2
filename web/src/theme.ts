// The component library's tokens, set to our paper and ink.
import { definePreset } from '@primeuix/themes';
import Aura from '@primeuix/themes/aura';

const paper = {
  0: '#ffffff',
  50: '#fbfaf7',
  100: '#f6f4ef',
  200: '#ebe7de',
  300: '#dcd8cf',
  400: '#b9b6b0',
  500: '#8d8f92',
  600: '#666c74',
  700: '#454e59',
  800: '#2d3744',
  900: '#1b2430',
  950: '#121923',
};
const evening = {
  0: '#ffffff',
  50: '#f4f3ef',
  100: '#e9e6df',
  200: '#cfccc5',
  300: '#aeadaa',
  400: '#8b8d91',
  500: '#6a6e75',
  600: '#4d525a',
  700: '#383d45',
  800: '#282d34',
  900: '#1f2329',
  950: '#181b20',
};

/** A toast on plain ground: its state is told by its edge, its sign and its words. */
function toast(sign: string, text: string, ground: string) {
  return {
    background: ground,
    borderColor: sign,
    color: sign,
    detailColor: text,
    shadow: '0 2px 10px rgb(0 0 0 / 14%)',
    closeButton: {
      hoverBackground: 'transparent',
      focusRing: { color: sign, shadow: 'none' },
    },
  };
}

export const Print = definePreset(Aura, {
  primitive: { borderRadius: { none: '0', xs: '1px', sm: '2px', md: '2px', lg: '2px', xl: '3px' } },
  semantic: {
    primary: {
      50: '#fbf1f0',
      100: '#f3d9d7',
      200: '#e6b3b0',
      300: '#d58985',
      400: '#c15f5a',
      500: '#a8332f',
      600: '#972c29',
      700: '#7e2522',
      800: '#651e1b',
      900: '#4d1715',
      950: '#330f0e',
    },
    transitionDuration: '0.12s',
    focusRing: { width: '2px', style: 'solid', color: '{surface.900}', offset: '1px' },
    formField: {
      placeholderColor: 'var(--faint)',
      paddingX: '0.5rem',
      paddingY: '0.25rem',
      borderRadius: '2px',
    },
    colorScheme: {
      light: {
        surface: paper,
        primary: {
          color: '#a8332f',
          contrastColor: '#ffffff',
          hoverColor: '#8f2a27',
          activeColor: '#7e2522',
        },
        text: { color: '#1b2430', mutedColor: '#5d646d' },
        formField: { focusBorderColor: '#1b2430' },
        highlight: {
          background: '#ebe7de',
          focusBackground: '#e2ddd2',
          color: '#1b2430',
          focusColor: '#1b2430',
        },
        content: { background: '#fbfaf7', borderColor: '#dcd8cf', hoverBackground: '#ebe7de' },
      },
      dark: {
        surface: evening,
        primary: {
          color: '#b9423d',
          contrastColor: '#ffffff',
          hoverColor: '#c9504a',
          activeColor: '#a83a36',
        },
        text: { color: '#e9e6df', mutedColor: '#a3a5a8' },
        formField: { focusBorderColor: '#e9e6df' },
        highlight: {
          background: '#383d45',
          focusBackground: '#454b54',
          color: '#e9e6df',
          focusColor: '#e9e6df',
        },
        content: { background: '#1f2329', borderColor: '#383d45', hoverBackground: '#282d34' },
      },
    },
  },
  components: {
    // Our hues for what holds and what is wrong, in place of the library's.
    toast: {
      colorScheme: {
        light: {
          success: toast('#2d7466', '#1b2430', '#fbfaf7'),
          info: toast('#5d646d', '#1b2430', '#fbfaf7'),
          warn: toast('#9a5f0c', '#1b2430', '#fbfaf7'),
          error: toast('#a8332f', '#1b2430', '#fbfaf7'),
        },
        dark: {
          success: toast('#62b3a2', '#e9e6df', '#22262c'),
          info: toast('#a9abae', '#e9e6df', '#22262c'),
          warn: toast('#d79b45', '#e9e6df', '#22262c'),
          error: toast('#e07a73', '#e9e6df', '#22262c'),
        },
      },
    },
    slider: {
      track: { size: '2px', background: '{content.border.color}' },
      range: { background: '{text.color}' },
      handle: {
        width: '9px',
        height: '13px',
        borderRadius: '1px',
        background: '{text.color}',
        hoverBackground: '{text.color}',
        content: { width: '0', height: '0', shadow: 'none' },
      },
    },
    checkbox: {
      root: {
        checkedBackground: '{text.color}',
        checkedHoverBackground: '{text.color}',
        checkedBorderColor: '{text.color}',
        checkedHoverBorderColor: '{text.color}',
      },
      icon: { checkedColor: '{content.background}', checkedHoverColor: '{content.background}' },
    },
    toggleswitch: {
      root: { width: '30px', height: '16px', borderRadius: '2px' },
      handle: { size: '12px', borderRadius: '1px' },
      colorScheme: {
        light: { root: { checkedBackground: '{text.color}', checkedHoverBackground: '{text.color}' } },
        dark: { root: { checkedBackground: '{text.color}', checkedHoverBackground: '{text.color}' } },
      },
    },
  },
});
