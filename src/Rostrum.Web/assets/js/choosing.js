// A form in which some settings count only with what is chosen in others: [data-for="NAME VALUE…"] stands while the setting of that name has
// one of the values.
export function choosing() {
  return {
    chosen: {},

    init() { this.look(); },

    look() {
      const form = this.$root.closest('form') ?? this.$root;
      this.chosen = Object.fromEntries([...form.querySelectorAll('select[name]')].map(({ name, value }) => [name, value]));
    },

    fits() {
      const [name, ...values] = this.$el.dataset.for.split(' ');
      return values.includes(this.chosen[name]);
    },
  };
}
