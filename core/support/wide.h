// 128-bit whole numbers, which the compilers have and the standard does not.
#pragma once

namespace lantern {

__extension__ typedef unsigned __int128 Wide;
__extension__ typedef __int128 SignedWide;

}  // namespace lantern
