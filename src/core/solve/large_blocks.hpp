#pragma once

namespace ulterix {

/// Large blocks come and go in every factorisation: keeps them rather than hand them back to the
/// system, which costs a page fault for each page when they come again. For the start of a program.
void keep_large_blocks();

}  // namespace ulterix
