// diagnose
#include "cli/commands/command.h"
#include "core/analysis/diagnosis.h"

namespace lantern::cli {

void run_diagnose(Shell& shell, std::string_view arguments) {
    refuse_arguments(arguments, "diagnose");
    shell.show(diagnose(shell.session().moment()));
}

}  // namespace lantern::cli
