// What a page remembers between two requests: each is declared in its partial, and defined in a module.
import Alpine from '@alpinejs/csp';
import { fieldSettings } from '../../Build/Data/field-settings.js';
import { choosing } from './choosing.js';
import { message } from './messages.js';
import { passkey } from './passkeys.js';
import { theme } from './theme.js';

for (const [name, component] of Object.entries({ choosing, fieldSettings, message, passkey, theme })) Alpine.data(name, component);
Alpine.start();
