#pragma once
// The command line as commands and their options. CLI11 reads it; it is named in arguments.cpp alone, since
// merely including it costs three seconds of compiling.

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

namespace CLI {
class App;
class Option;
}  // namespace CLI

namespace cli {

/// Wrong use of the command line: the option, and what is wrong with it. Exit status 2.
struct UsageError {
    std::string option, text;
};

/// What a value must be. Answers what is wrong with it, or nothing.
using Check = std::function<std::string(const std::string& value)>;
/// A number from low to high.
Check range(double low, double high);
/// One of these words.
Check one_of(std::vector<std::string> words);

/// An option of a command. A handle: cheap to copy, valid while the tool runs.
class Argument {
public:
    explicit Argument(CLI::Option* option) : option_(option) {}
    const Argument& check(const Check& check) const;
    const Argument& required() const;
    /// Not together with the other one.
    const Argument& excludes(const Argument& other) const;
    /// Only together with the other one.
    const Argument& needs(const Argument& other) const;
    /// Whether it was written.
    bool given() const;

private:
    CLI::Option* option_;
};

/// A command of the tool, or the tool itself. A handle like an Argument.
class Command {
public:
    explicit Command(CLI::App* app) : app_(app) {}
    Command add_subcommand(const std::string& name, const std::string& what_it_does) const;

    Argument add_option(const std::string& name, std::string& to, const std::string& help) const;
    Argument add_option(const std::string& name, std::filesystem::path& to, const std::string& help) const;
    Argument add_option(const std::string& name, int& to, const std::string& help) const;
    Argument add_option(const std::string& name, unsigned& to, const std::string& help) const;
    Argument add_option(const std::string& name, float& to, const std::string& help) const;
    Argument add_option(const std::string& name, double& to, const std::string& help) const;
    /// May be written several times.
    Argument add_option(const std::string& name, std::vector<std::string>& to, const std::string& help) const;
    Argument add_flag(const std::string& name, bool& to, const std::string& help) const;
    /// An option that has another name now: wrong use that says so, and no line of the help.
    void renamed(const std::string& old, const std::string& now) const;

    /// What stands under the help.
    void footer(const std::string& text) const;
    /// What the command does once its options are read; may throw UsageError.
    void callback(std::function<void()> run) const;

private:
    CLI::App* app_;
};

/// Reads the command line with the commands that `add` puts there, and runs the one that is asked for.
/// Returns 0, or 2 for wrong use, which is told on standard error.
int run_tool(int argc, char** argv, const std::function<void(const Command&)>& add);

}  // namespace cli
