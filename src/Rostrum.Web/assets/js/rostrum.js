// Each module is one behaviour, attached to elements by a data- attribute.
import htmx from 'htmx.org/dist/htmx.esm.js';
import './actions.js';
import './chart.js';
import './checking.js';
import './columns.js';
import './dates.js';
import './commands.js';
import './components.js';
import './failures.js';
import './formula.js';
import './cut.js';
import './in-view.js';
import './keep-typed.js';
import './keys.js';
import './list.js';
import './lookup.js';
import './moving.js';
import './ordering.js';
import './inputs.js';
import './address.js';
import './canvas.js';
import './composer.js';
import './pictures.js';
import './schedule.js';
import './sheet.js';
import './sql.js';

window.htmx = htmx;
