/** The client of all questions: what a change touches is asked anew, also what is just being asked for the first time. */
import { QueryClient, type InvalidateOptions, type InvalidateQueryFilters, type QueryKey } from '@tanstack/react-query';

export class Asking extends QueryClient {
  /** Asks anew. A first answer still on its way may be from before the change, and is not waited for. */
  override async invalidateQueries<K extends QueryKey = QueryKey>(
    filters?: InvalidateQueryFilters<K>,
    options?: InvalidateOptions,
  ): Promise<void> {
    await this.cancelQueries(filters);
    await super.invalidateQueries(filters, options);
  }
}
