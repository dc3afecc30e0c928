// Light, dark, or what the system says; kept for this browser.
export function theme() {
  return {
    chosen: document.documentElement.dataset.theme ?? '',

    choose() {
      this.chosen = this.$el.value;
      document.cookie = `theme=${this.chosen}; path=/; max-age=${this.chosen ? 31536000 : 0}; samesite=lax`;
      if (this.chosen) document.documentElement.dataset.theme = this.chosen;
      else delete document.documentElement.dataset.theme;
    },

    pressed() { return String(this.$el.value === this.chosen); },
  };
}
