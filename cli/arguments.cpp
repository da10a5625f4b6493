#include "arguments.hpp"

#include <CLI/CLI.hpp>

namespace cli {

Check range(double low, double high) {
    return CLI::Range(low, high);
}
Check one_of(std::vector<std::string> words) {
    return CLI::IsMember(std::move(words));
}

const Argument& Argument::check(const Check& check) const {
    option_->check(check);
    return *this;
}
const Argument& Argument::required() const {
    option_->required();
    return *this;
}
const Argument& Argument::excludes(const Argument& other) const {
    option_->excludes(other.option_);
    return *this;
}
const Argument& Argument::needs(const Argument& other) const {
    option_->needs(other.option_);
    return *this;
}
bool Argument::given() const {
    return option_->count() > 0;
}

Command Command::add_subcommand(const std::string& name, const std::string& what_it_does) const {
    return Command(app_->add_subcommand(name, what_it_does));
}

Argument Command::add_option(const std::string& name, std::string& to, const std::string& help) const {
    return Argument(app_->add_option(name, to, help));
}
Argument Command::add_option(const std::string& name, std::filesystem::path& to,
                             const std::string& help) const {
    return Argument(app_->add_option(name, to, help));
}
Argument Command::add_option(const std::string& name, int& to, const std::string& help) const {
    return Argument(app_->add_option(name, to, help));
}
Argument Command::add_option(const std::string& name, unsigned& to, const std::string& help) const {
    return Argument(app_->add_option(name, to, help));
}
Argument Command::add_option(const std::string& name, float& to, const std::string& help) const {
    return Argument(app_->add_option(name, to, help));
}
Argument Command::add_option(const std::string& name, double& to, const std::string& help) const {
    return Argument(app_->add_option(name, to, help));
}
Argument Command::add_option(const std::string& name, std::vector<std::string>& to,
                             const std::string& help) const {
    return Argument(app_->add_option(name, to, help));
}
Argument Command::add_flag(const std::string& name, bool& to, const std::string& help) const {
    return Argument(app_->add_flag(name, to, help));
}

void Command::renamed(const std::string& old, const std::string& now) const {
    app_->add_flag_callback(old, [old, now] { throw CLI::ValidationError(old, "is called " + now + " now"); })
        ->group("");
}

void Command::footer(const std::string& text) const {
    app_->footer(text);
}

void Command::callback(std::function<void()> run) const {
    app_->callback([run = std::move(run)] {
        try {
            run();
        } catch (const UsageError& e) {
            throw CLI::ValidationError(e.option, e.text);
        }
    });
}

int run_tool(int argc, char** argv, const std::function<void(const Command&)>& add) {
    CLI::App app{"Bakes the static light of a level into lightmaps and probes."};
    app.name("stasigraph");
    app.set_version_flag("--version", "stasigraph " STASIGRAPH_VERSION);
    app.require_subcommand(1);
    add(Command(&app));
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& e) {
        return app.exit(e) == 0 ? 0 : 2;
    }
    return 0;
}

}  // namespace cli
