#include <cstdio>
#include <stasigraph/io.hpp>

int main() {
    try {
        stasigraph::load_level("no such level.glb");
    } catch (const stasigraph::Error& e) {
        std::puts(e.text().c_str());
        return e.where == "no such level.glb" ? 0 : 1;
    }
    return 1;
}
