// The calendar beside an input. It writes days and moments as the server shows them, and the server reads them.
import AirDatepicker from 'air-datepicker';

const known = new WeakMap();

// Of the calendar with its times, in pixels.
const height = 340;

function written({ months }, moment) {
  return date => {
    const day = `${String(date.getDate()).padStart(2, '0')} ${months[date.getMonth()]} ${date.getFullYear()}`;
    return moment ? `${day} ${String(date.getHours()).padStart(2, '0')}:${String(date.getMinutes()).padStart(2, '0')}` : day;
  };
}

function read({ months }, text) {
  const [, day, month, year, hour = 0, minute = 0] = /^(\d{1,2}) (\S+) (\d{4})(?: (\d{2}):(\d{2}))?/.exec(text.trim()) ?? [];
  const at = months.indexOf(month);
  return at < 0 ? undefined : new Date(Number(year), at, Number(day), Number(hour), Number(minute));
}

export function pick(input, words) {
  const moment = input.dataset.picks === 'moment';
  let calendar = known.get(input);
  if (!calendar) {
    calendar = new AirDatepicker(input, {
      locale: { days: words.days, daysShort: words.days, daysMin: words.days, months: words.months, monthsShort: words.months, today: 'Today', clear: 'Clear', firstDay: words.first },
      dateFormat: written(words, moment),
      timepicker: moment,
      timeFormat: '',
      showEvent: 'never',
      autoClose: !moment,
      keyboardNav: true,
      container: input.closest('dialog') ?? document.body,
      onHide(finished) { if (finished) input.focus(); },
      onSelect() {
        input.dispatchEvent(new Event('input', { bubbles: true }));
        input.dispatchEvent(new Event('change', { bubbles: true }));
      },
    });
    // Escape puts away the calendar, and nothing that lies under it.
    input.addEventListener('keydown', event => event.key === 'Escape' && calendar.visible && event.preventDefault(), { capture: true });
    known.set(input, calendar);
  }
  const typed = read(words, input.value);
  if (typed) {
    calendar.selectDate(typed, { silent: true });
    calendar.setViewDate(typed);
  }
  const { bottom } = input.getBoundingClientRect();
  calendar.update({ position: bottom + height > innerHeight && bottom > height ? 'top left' : 'bottom left' }, { silent: true });
  calendar.show();
  input.focus();
}
