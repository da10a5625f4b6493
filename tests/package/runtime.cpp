#include <stasigraph/runtime.h>
#include <stasigraph/runtime.hpp>

int main() {
    stasigraph::runtime::Probes probes;
    const bool refused =
        probes.load("no such file") == stasigraph::runtime::Status::not_found && probes.message()[0] != '\0';
    sgraph_probes* c = nullptr;
    char text[64] = "";
    return refused && sgraph_probes_load("no such file", &c, text, sizeof text) == SGRAPH_NOT_FOUND &&
                   c == nullptr && text[0] != '\0'
               ? 0
               : 1;
}
