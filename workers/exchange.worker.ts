import * as Comlink from 'comlink';
import { exchangeService } from '../core/exchange/service';

/** A shell: files and reports are core. */
Comlink.expose(exchangeService);
