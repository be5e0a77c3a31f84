#include "cli/figures/graph_layout.h"

#include <dlfcn.h>
#include <fmt/format.h>
#include <graphviz/gvc.h>

#include <algorithm>

#include "core/support/error.h"

namespace lantern::cli {
namespace {

constexpr double kPointsInInch = 72, kColumnGap = 70, kRowGap = 22;

// The few functions that are asked for. The library stays loaded.
struct Graphviz {
    decltype(&::gvContext) context = nullptr;
    decltype(&::gvFreeContext) free_context = nullptr;
    decltype(&::gvLayout) layout = nullptr;
    decltype(&::gvFreeLayout) free_layout = nullptr;
    decltype(&::agopen) open = nullptr;
    decltype(&::agclose) close = nullptr;
    decltype(&::agnode) node = nullptr;
    decltype(&::agedge) edge = nullptr;
    decltype(&::agattr) attribute = nullptr;
    decltype(&::agsafeset) set = nullptr;
    const Agdesc_t* directed = nullptr;
};

Graphviz load() {
    void* layouts = dlopen("libgvc.so.6", RTLD_NOW);
    void* graphs = dlopen("libcgraph.so.6", RTLD_NOW);
    if (!layouts || !graphs)
        throw RequestError("graphviz's library, which lays out graphs, is not installed",
                           "apt install libgvc6");
    Graphviz library;
    auto take = [](void* from, const char* name, auto& into) {
        into = reinterpret_cast<std::remove_reference_t<decltype(into)>>(dlsym(from, name));
        if (!into) throw RequestError(fmt::format("graphviz's library has no {}", name));
    };
    take(layouts, "gvContext", library.context);
    take(layouts, "gvFreeContext", library.free_context);
    take(layouts, "gvLayout", library.layout);
    take(layouts, "gvFreeLayout", library.free_layout);
    take(graphs, "agopen", library.open);
    take(graphs, "agclose", library.close);
    take(graphs, "agnode", library.node);
    take(graphs, "agedge", library.edge);
    take(graphs, "agattr", library.attribute);
    take(graphs, "agsafeset", library.set);
    take(graphs, "Agdirected", library.directed);
    return library;
}

// The library takes texts that it could write to.
std::string writable(const std::string& text) {
    return text;
}

class GraphLayout {
  public:
    explicit GraphLayout(const Graphviz& library) : library_(library), context_(library.context()) {
        graph_ = library_.open(writable("structure").data(), *library_.directed, nullptr);
    }
    ~GraphLayout() {
        if (is_laid_out_) library_.free_layout(context_, graph_);
        library_.close(graph_);
        library_.free_context(context_);
    }
    GraphLayout(const GraphLayout&) = delete;
    GraphLayout& operator=(const GraphLayout&) = delete;

    std::vector<Point> places(const std::vector<GraphBox>& boxes,
                              const std::vector<GraphArrow>& arrows, Downstream direction) {
        // Ways of arrows are our own: they begin at rows.
        of_graph("rankdir", direction == Downstream::right ? "LR" : "TB");
        of_graph("splines", "false");
        of_graph("nodesep", "0.3");
        of_graph("ranksep", direction == Downstream::right ? "0.9" : "0.5");
        of_graph("nslimit", "4");
        of_graph("mclimit", "0.5");
        std::vector<Agnode_t*> nodes;
        for (std::size_t i = 0; i < boxes.size(); ++i) {
            nodes.push_back(library_.node(graph_, fmt::format("{}", i).data(), 1));
            of_node(nodes[i], "shape", "box");
            of_node(nodes[i], "fixedsize", "true");
            of_node(nodes[i], "label", "");
            of_node(nodes[i], "width", fmt::format("{:.4f}", boxes[i].width / kPointsInInch));
            of_node(nodes[i], "height", fmt::format("{:.4f}", boxes[i].height / kPointsInInch));
        }
        for (const GraphArrow& arrow : arrows)
            if (arrow.from != arrow.to)
                library_.edge(graph_, nodes[arrow.from], nodes[arrow.to], nullptr, 1);
        if (library_.layout(context_, graph_, "dot") != 0)
            throw RequestError("graphviz could not lay out the graph");
        is_laid_out_ = true;
        std::vector<Point> places;
        for (std::size_t i = 0; i < boxes.size(); ++i) {
            pointf centre = ND_coord(nodes[i]);
            places.push_back({centre.x - boxes[i].width / 2, -centre.y - boxes[i].height / 2});
        }
        return places;
    }

  private:
    void of_graph(const char* name, const char* value) {
        library_.attribute(graph_, AGRAPH, writable(name).data(), writable(value).data());
    }
    void of_node(Agnode_t* node, const char* name, const std::string& value) {
        library_.set(node, writable(name).data(), writable(value).data(), writable("").data());
    }

    const Graphviz& library_;
    GVC_t* context_;
    Agraph_t* graph_ = nullptr;
    bool is_laid_out_ = false;
};

// So that the first corner is at (0, 0).
void move_to_origin(std::vector<Point>& places) {
    double x = 1e300, y = 1e300;
    for (const Point& place : places) {
        x = std::min(x, place.x);
        y = std::min(y, place.y);
    }
    for (Point& place : places) {
        place.x -= x;
        place.y -= y;
    }
}

}  // namespace

std::vector<Point> lay_out_graph(const std::vector<GraphBox>& boxes,
                                 const std::vector<GraphArrow>& arrows, Downstream direction) {
    static const Graphviz library = load();
    std::vector<Point> places = GraphLayout(library).places(boxes, arrows, direction);
    move_to_origin(places);
    return places;
}

std::vector<Point> lay_out_tree(const std::vector<GraphBox>& boxes,
                                const std::vector<GraphArrow>& arrows) {
    std::vector<std::vector<std::size_t>> children(boxes.size());
    std::vector<std::size_t> depth(boxes.size(), 0);
    std::vector<bool> is_led_to(boxes.size(), false);
    for (const GraphArrow& arrow : arrows) {
        if (arrow.to <= arrow.from || is_led_to[arrow.to]) continue;
        is_led_to[arrow.to] = true;
        depth[arrow.to] = depth[arrow.from] + 1;
        children[arrow.from].push_back(arrow.to);
    }
    std::vector<double> widest(*std::ranges::max_element(depth) + 1, 0);
    for (std::size_t i = 0; i < boxes.size(); ++i)
        widest[depth[i]] = std::max(widest[depth[i]], boxes[i].width);
    std::vector<double> left(widest.size(), 0);
    for (std::size_t i = 1; i < left.size(); ++i)
        left[i] = left[i - 1] + widest[i - 1] + kColumnGap;
    // Each box takes as much height as itself or all its children, whichever is more: worked out
    // from the last box back, since children come behind their parents.
    std::vector<double> room(boxes.size());
    for (std::size_t i = boxes.size(); i-- > 0;) {
        double below = 0;
        for (std::size_t child : children[i]) below += room[child] + kRowGap;
        room[i] = std::max(boxes[i].height, below - (below > 0 ? kRowGap : 0));
    }
    std::vector<Point> places(boxes.size());
    std::vector<double> top(boxes.size(), 0);
    double next_root = 0;
    for (std::size_t i = 0; i < boxes.size(); ++i) {
        if (!is_led_to[i]) {
            top[i] = next_root;
            next_root += room[i] + kRowGap;
        }
        places[i] = {left[depth[i]], top[i] + (room[i] - boxes[i].height) / 2};
        double below = -kRowGap;
        for (std::size_t child : children[i]) below += room[child] + kRowGap;
        double at = top[i] + (room[i] - std::max(below, 0.0)) / 2;
        for (std::size_t child : children[i]) {
            top[child] = at;
            at += room[child] + kRowGap;
        }
    }
    return places;
}

}  // namespace lantern::cli
