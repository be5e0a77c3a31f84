// `elm-lantern serve`: the Debug Adapter Protocol on standard input and output, or on a port.
#pragma once

namespace lantern::cli {

// Port 0: on standard input and output, until the client has gone. Else each connection to the port
// of the loopback address gets a process of its own, until we are asked to end. Returns the exit
// status. Throws FileError where nothing can be listened on.
int serve(unsigned port);

}  // namespace lantern::cli
