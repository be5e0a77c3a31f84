// LANTERN_SANITIZED: this build watches its own memory with the address sanitizer, which has to be
// told of stacks that it does not know.
#pragma once

#if defined(__SANITIZE_ADDRESS__)
#define LANTERN_SANITIZED 1
#elif defined(__has_feature)
#if __has_feature(address_sanitizer)
#define LANTERN_SANITIZED 1
#endif
#endif
