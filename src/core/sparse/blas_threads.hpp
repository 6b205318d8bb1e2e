#pragma once

namespace ulterix {

/// BLAS works in the thread that calls it: with threads of its own the last digits would depend on
/// their number. Those it has started by itself are stopped, since they look for work for some
/// hundredths of a second. At the start of a program; again, it does nothing.
void keep_blas_to_its_caller();

}  // namespace ulterix
