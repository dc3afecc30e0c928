// The settings of a field: of text type and format, only what belongs to what is chosen; an option in the colour that it is given.
export function fieldSettings() {
  return {
    kind: '',
    format: '',

    init() { this.look(); },

    look() {
      const { kind, format } = this.$root.elements;
      this.kind = kind?.value ?? '';
      this.format = format?.value ?? '';
    },

    // [data-for="NAME VALUE…"] stands while the setting of that name has one of the values.
    fits() {
      const [name, ...values] = this.$el.dataset.for.split(' ');
      return values.includes(this[name]);
    },

    paint() { this.$el.closest('tr').querySelector('.option').className = `option option-${this.$el.value}`; },
  };
}
